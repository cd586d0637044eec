#include "core/session/session.h"

#include <algorithm>
#include <cmath>

namespace cask::session {
namespace {

template <class T> const T* find(const std::vector<Shared<T>>& list, Id id) {
    const auto it =
        std::find_if(list.begin(), list.end(), [id](const Shared<T>& item) { return item->id == id; });
    return it == list.end() ? nullptr : &**it;
}

} // namespace

bool operator==(const NamedState& a, const NamedState& b) {
    return a.name == b.name && (a.session == b.session || *a.session == *b.session);
}

const Element* Session::element(Id id) const {
    return find(elements, id);
}
const Bus* Session::bus(Id id) const {
    return find(buses, id);
}
const SourceFile* Session::file(Id id) const {
    return find(files, id);
}
const Bus& Session::master() const {
    return *buses.back();
}

const Output* Session::output(Id id) const {
    if (const auto* e = element(id))
        return &e->out;
    const auto* b = bus(id);
    return b != nullptr ? &b->out : nullptr;
}

const std::vector<Module>* Session::chain(Id id) const {
    if (const auto* e = element(id))
        return &e->chain;
    const auto* b = bus(id);
    return b != nullptr ? &b->chain : nullptr;
}

std::string Session::nameOf(Id id) const {
    if (const auto* e = element(id))
        return e->name;
    const auto* b = bus(id);
    return b != nullptr ? b->name : std::string();
}

Frames Session::lengthFrames() const {
    Frames end = 0;
    for (const auto& e : elements) {
        for (const auto& ref : e->channels) {
            if (const auto* f = file(ref.file); f != nullptr && f->sampleRateHz > 0) {
                const double frames = static_cast<double>(f->frames) * sampleRateHz / f->sampleRateHz;
                end = std::max<Frames>(
                    end, e->startFrame + static_cast<Frames>(std::llround(frames)) +
                             std::llround((e->input.shiftMs + std::max(0.0, e->input.rightShiftMs)) * 0.001 *
                                          sampleRateHz));
            }
        }
    }
    return end;
}

Session emptySession(double sampleRateHz) {
    Session s;
    s.sampleRateHz = sampleRateHz;
    Bus master;
    master.id = s.nextId++;
    master.name = "Master";
    master.isMaster = true;
    Bus kit;
    kit.id = s.nextId++;
    kit.name = "Kit";
    kit.out.bus = master.id;
    for (const char* name : {"Shells", "Cymbals", "Rooms"}) {
        Bus bus;
        bus.id = s.nextId++;
        bus.name = name;
        bus.out.bus = kit.id;
        s.buses.emplace_back(std::move(bus));
    }
    s.buses.emplace_back(std::move(kit));
    s.buses.emplace_back(std::move(master));
    return s;
}

} // namespace cask::session
