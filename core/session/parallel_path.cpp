#include "core/session/parallel_path.h"

#include "core/session/edits.h"
#include "core/session/routing.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace cask::session {

std::optional<double> startingShareDb(Role role) {
    switch (role) {
    case Role::SnareTop:
    case Role::SideStick:
    case Role::Clap:
        return 0;
    case Role::SnareBottom:
        return -4;
    case Role::RackTom:
    case Role::FloorTom:
    case Role::Percussion:
        return -5;
    case Role::Room:
        return -6;
    case Role::Loop:
        return -6;
    case Role::KickIn:
    case Role::KickOut:
        return -10;
    default:
        return std::nullopt;
    }
}

namespace {

bool isPath(const Session& s, Id id) {
    const auto* bus = s.bus(id);
    return bus != nullptr && bus->path;
}

/// Whether the sound gets there without a parallel path.
bool feeds(const Session& s, Id from, Id to) {
    if (from == to)
        return true;
    const Output* out = s.output(from);
    if (out == nullptr)
        return false;
    const auto goesBy = [&](Id next) { return next != kNoId && !isPath(s, next) && feeds(s, next, to); };
    return goesBy(out->bus) ||
           std::any_of(out->sends.begin(), out->sends.end(), [&](const Send& x) { return goesBy(x.bus); });
}

const Bus* equalPathOf(const Session& s, Id of) {
    for (const auto& b : s.buses)
        if (b->path && b->path->of == of && b->path->isEqualGain && !b->out.isMuted)
            return &*b;
    return nullptr;
}

double levelOf(const Bus& bus) {
    constexpr double kSilentLevelDb = -79.9;
    return bus.out.levelDb <= kSilentLevelDb ? 0 : dbToLinear(bus.out.levelDb);
}

} // namespace

std::vector<Id> feedersOf(const Session& s, Id of) {
    std::vector<Id> feeders;
    for (const auto& e : s.elements)
        if (isMixed(e->role) && feeds(s, e->id, of))
            feeders.push_back(e->id);
    return feeders;
}

std::vector<Id> pathsOf(const Session& s, Id of) {
    std::vector<Id> paths;
    for (const auto& b : s.buses)
        if (b->path && b->path->of == of)
            paths.push_back(b->id);
    return paths;
}

Result<Id> addPath(Session& s, const std::string& name, Id of) {
    const Output* out = s.output(of);
    if (out == nullptr)
        return Error{ErrorCode::BadValue, "There is no such element or bus to stand beside."};
    if (of == s.master().id)
        return Error{ErrorCode::BadValue,
                     "A path beside the master would have nowhere to go. Make it of the bus before it."};
    if (isPath(s, of))
        return Error{ErrorCode::BadValue,
                     fmt::format("{} is a parallel path itself. Make the new one of what it stands beside.",
                                 s.nameOf(of))};
    const auto isTaken = [&](const auto& owner) { return owner->name == name; };
    if (name.empty() || std::any_of(s.buses.begin(), s.buses.end(), isTaken) ||
        std::any_of(s.elements.begin(), s.elements.end(), isTaken))
        return Error{ErrorCode::BadValue,
                     fmt::format("\"{}\" is taken or empty. Enter another name for the path.", name)};
    const bool isOfElement = s.element(of) != nullptr;
    const auto feeders = feedersOf(s, of);
    const Id path = addBus(s, name, out->bus);
    s = withBus(std::move(s), path, [&](Bus& bus) { bus.path.emplace().of = of; });
    for (const Id feeder : feeders) {
        const auto share = isOfElement ? std::optional(0.0) : startingShareDb(s.element(feeder)->role);
        if (share)
            s = withOutput(std::move(s), feeder, [&](Output& o) {
                o.sends.push_back({path, *share, false});
            });
    }
    return path;
}

BlendGains blendGains(const ParallelPath& path, double level) {
    const double sign = path.isInverted ? -1 : 1;
    if (!path.isEqualGain)
        return {1, sign};
    const double b = path.blendPercent / 100;
    const double wet = b * level;
    const double power = (1 - b) * (1 - b) + wet * wet + 2 * (1 - b) * wet * sign * path.likeness;
    const double k = std::min(dbToLinear(kMostBlendDb), 1 / std::sqrt(std::max(power, 1e-12)));
    return {k * (1 - b), sign * k * b * dbToLinear(path.matchDb)};
}

double blendGainOf(const Session& s, Id id) {
    double gain = 1;
    if (const auto* bus = s.bus(id); bus != nullptr && bus->path)
        gain = blendGains(*bus->path, levelOf(*bus)).wet;
    if (const auto* beside = equalPathOf(s, id))
        gain *= blendGains(*beside->path, levelOf(*beside)).dry;
    return gain;
}

Result<Session> withEqualGain(Session s, Id path, double matchDb, double likeness) {
    const auto* bus = s.bus(path);
    if (bus == nullptr || !bus->path)
        return Error{ErrorCode::BadValue, "There is no such parallel path."};
    for (const Id other : pathsOf(s, bus->path->of))
        if (other != path && s.bus(other)->path->isEqualGain)
            return Error{ErrorCode::BadValue,
                         fmt::format("{} already has an equal-gain path, {}. Switch that one off first.",
                                     s.nameOf(bus->path->of), s.nameOf(other))};
    return withBus(std::move(s), path, [&](Bus& b) {
        b.path->isEqualGain = true;
        b.path->matchDb = matchDb;
        b.path->likeness = likeness;
    });
}

} // namespace cask::session
