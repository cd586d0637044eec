#include "core/kit_measures/balance_state.h"

#include <algorithm>
#include <cmath>

namespace cask::kit {

using session::Id;

bool isContext(const session::Element& e) {
    return roleInfo(e.role).group == RoleGroup::Context;
}

BalanceState::BalanceState(const session::Session& s, const advise::HitAnalysis& analysis,
                           const advise::HouseStyle& houseStyle)
    : session(s), hits(analysis), style(houseStyle) {
    for (const auto& e : s.elements)
        if (!e->out.isMuted && e->role != Role::Unknown && isMixed(e->role))
            ids.push_back(e->id);
}

int BalanceState::indexOf(Id id) const {
    const auto at = std::find(ids.begin(), ids.end(), id);
    return at == ids.end() ? -1 : static_cast<int>(at - ids.begin());
}

double BalanceState::wayDb(const session::Element& e) const {
    double db = 0;
    Id at = e.out.bus;
    for (std::size_t hops = 0; hops <= session.buses.size(); ++hops) {
        const auto* bus = session.bus(at);
        if (bus == nullptr)
            break;
        db += bus->out.levelDb;
        at = bus->out.bus;
    }
    return db;
}

int BalanceState::drumOf(std::size_t e) const {
    for (std::size_t d = 0; d < asked.drums.size(); ++d)
        if (const auto& its = asked.drums[d].elements;
            std::find(its.begin(), its.end(), static_cast<int>(e)) != its.end())
            return static_cast<int>(d);
    return -1;
}

void BalanceState::placeChannels() {
    asked.channels.clear();
    for (std::size_t c = 0; c < heard.channelElement.size(); ++c) {
        const auto e = static_cast<std::size_t>(heard.channelElement[c]);
        auto out = element(e).out;
        out.pan = pans[e];
        const auto gains = graph::outputGains(out, element(e).isStereo());
        const auto& sides = gains[static_cast<std::size_t>(heard.channelSide[c])];
        const double way = dbToLinear(wayDb(element(e)));
        asked.channels.push_back({static_cast<int>(e), way * sides[0], way * sides[1]});
    }
}

std::optional<double> BalanceState::heardAt(std::size_t d) const {
    double left = 0;
    double right = 0;
    for (std::size_t c = 0; c < heard.channelElement.size(); ++c) {
        const auto& e = element(static_cast<std::size_t>(heard.channelElement[c]));
        if (e.role == Role::Overhead && e.isStereo())
            (heard.channelSide[c] == 0 ? left : right) +=
                heard.powers.product(static_cast<int>(d), static_cast<int>(c), static_cast<int>(c));
    }
    if (levels.drums[d].isKnown && left + right > 0)
        return 4 / kPi * std::atan2(std::sqrt(right), std::sqrt(left)) - 1;
    return std::nullopt;
}

double BalanceState::turnedPan(std::size_t e) const {
    const double pan = element(e).out.pan;
    return result.turns && !isContext(element(e)) && pan != 0 ? -pan : pan;
}

std::vector<double> BalanceState::levelsDb() const {
    std::vector<double> db(ids.size());
    double moved = 0;
    int count = 0;
    for (std::size_t e = 0; e < ids.size(); ++e)
        if (isSet(e)) {
            db[e] = rawLevelDb(e);
            if (!isContext(element(e))) {
                moved += db[e] - element(e).out.levelDb;
                ++count;
            }
        }
    for (std::size_t e = 0; e < ids.size(); ++e) {
        if (!isSet(e))
            db[e] = element(e).out.levelDb + (count > 0 ? moved / count : 0);
        db[e] += offsetDb;
        if (element(e).role == Role::Bass)
            db[e] -= bassDownDb;
        else if (isContext(element(e)))
            db[e] -= restDownDb;
        db[e] = std::clamp(std::round(10 * db[e]) / 10, -80.0, 24.0);
    }
    return db;
}

bool BalanceState::isSet(std::size_t e) const {
    return goesByLoudness(element(e)) ? heard.lufs[e] > kSilenceDb : levels.isSet[e];
}

double BalanceState::rawLevelDb(std::size_t e) const {
    return goesByLoudness(element(e))
               ? kBalanceReferenceLufs + balanceLu(style, element(e).role) - heard.lufs[e] - wayDb(element(e))
               : levels.levelDb[e];
}

double BalanceState::overDb(const Headroom& headroom, Rung rung) const {
    return headroom.truePeakDb[static_cast<std::size_t>(rung)] - headroomTargetDb(style, rung);
}

} // namespace cask::kit
