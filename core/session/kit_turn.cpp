#include "core/session/kit_turn.h"

#include "core/session/routing.h"

#include <algorithm>
#include <set>

namespace cask::session {
namespace {

void turn(Output& out) {
    // Without a sign on zero: 0 stays 0.
    const auto turned = [](double pan) { return pan == 0 ? 0.0 : -pan; };
    out.pan = turned(out.pan);
    for (auto& change : out.changes)
        if (const auto pan = change.values.find("pan"); pan != change.values.end())
            pan->second = turned(pan->second);
    for (auto& ride : out.rides)
        if (ride.value == "pan")
            for (auto& point : ride.points)
                point.change = turned(point.change);
}

void turn(InputSettings& input) {
    input.isInverted = input.isInverted != input.isRightInverted;
    input.shiftMs += input.rightShiftMs;
    input.rightShiftMs = input.rightShiftMs == 0 ? 0 : -input.rightShiftMs;
}

/// Every bus that an output or a send of this leads to, in the end.
void reach(const Session& s, const Output& out, std::set<Id>& buses) {
    const auto follow = [&](Id bus) {
        if (const auto* to = s.bus(bus); to != nullptr && buses.insert(bus).second)
            reach(s, to->out, buses);
    };
    follow(out.bus);
    for (const auto& send : out.sends)
        follow(send.bus);
}

} // namespace

Session withKitTurned(Session s) {
    std::set<Id> ofKit;
    std::set<Id> ofOthers;
    const auto isKit = [](const Element& e) { return isOfKit(e.role); };
    for (const auto& e : s.elements)
        reach(s, e->out, isKit(*e) ? ofKit : ofOthers);
    for (auto& element : s.elements)
        if (isKit(*element))
            element.edit([](Element& e) {
                turn(e.out);
                if (!e.isStereo())
                    return;
                std::swap(e.channels[0], e.channels[1]);
                turn(e.input);
            });
    for (auto& bus : s.buses)
        if (!bus->isMaster && ofKit.contains(bus->id) && !ofOthers.contains(bus->id))
            bus.edit([](Bus& b) { turn(b.out); });
    return s;
}

} // namespace cask::session
