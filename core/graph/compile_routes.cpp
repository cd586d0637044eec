#include "core/graph/compile_routes.h"

#include "core/base/units.h"
#include "core/graph/timeline.h"
#include "core/session/edits.h"
#include "core/session/output_changes.h"
#include "core/session/parallel_path.h"
#include "core/session/routing.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace cask::graph {
namespace {

using session::Output;
using session::Session;

/// Levels at or under this are silence.
constexpr double kSilentLevelDb = -79.9;

double levelLinear(double db) {
    return db <= kSilentLevelDb ? 0 : dbToLinear(db);
}

struct Context {
    Plan& plan;
    const Session& session;
    const Latencies& latencies;
};

NodePlan& nodeOf(Plan& plan, Id id) {
    return *std::find_if(plan.nodes.begin(), plan.nodes.end(),
                         [id](const NodePlan& n) { return n.id == id; });
}

double ownLevel(const Session& s, Id id) {
    const Output& out = *s.output(id);
    if (out.isMuted)
        return 0;
    const auto* e = s.element(id);
    return e != nullptr && !session::isHeard(s, *e) ? 0
                                                    : levelLinear(out.levelDb) * session::blendGainOf(s, id);
}

std::vector<Route> routesOf(const Session& s, Id id, double level) {
    const Output& out = *s.output(id);
    std::vector<Route> routes;
    if (out.bus != session::kNoId)
        routes.push_back({id, out.bus, level});
    const bool silent = ownLevel(s, id) == 0 && levelLinear(out.levelDb) > 0; // muted, or others are alone
    for (const auto& send : out.sends) {
        const double base = silent ? 0 : send.isBeforeLevel ? 1 : level;
        routes.push_back({id, send.bus, base * levelLinear(send.levelDb)});
    }
    return routes;
}

/// The mix between two groups in which this source lane is free, or taken with the same delay.
MixPlan& mixFor(Plan& plan, int source, int target, int lane, int delay) {
    const auto l = static_cast<std::size_t>(lane);
    for (auto& mix : plan.mixes)
        if (mix.source == source && mix.target == target && (!mix.isTaken[l] || mix.delayFrames[l] == delay))
            return mix;
    MixPlan mix;
    mix.source = source;
    mix.target = target;
    plan.mixes.push_back(mix);
    return plan.mixes.back();
}

/// Where a route's channels come to in a mix.
struct Place {
    std::size_t mix = 0;
    int source = 0; ///< lane
    int target = 0; ///< left lane
    int due = 0;    ///< frames by which the sound is late there
};
struct PlacedRoute {
    Route route;
    std::vector<Place> places; ///< by channel
};

PlacedRoute addRoute(Context& c, const Route& route) {
    Plan& plan = c.plan;
    const NodePlan from = nodeOf(plan, route.from);
    PlacedRoute placed{route, {}};
    int group = 0;
    int lane = 0;
    int due = 0;
    if (route.to == session::kNoId) {
        group = plan.outputGroup + route.outputLane / dsp::kLanes;
        lane = route.outputLane % dsp::kLanes;
        due = plan.latencyFrames;
    } else {
        const NodePlan& to = nodeOf(plan, route.to);
        group = to.group;
        lane = to.lane;
        due = c.latencies.input.at(route.to);
    }
    const int delay = due - from.outputLatency;
    for (int channel = 0; channel < from.lanes; ++channel) {
        // A silent route stays in the plan: it must be there when it is heard again, and its layout must not
        // change.
        MixPlan& mix = mixFor(plan, from.group, group, from.lane + channel, delay);
        const auto sourceLane = static_cast<std::size_t>(from.lane + channel);
        mix.delayFrames[sourceLane] = delay;
        mix.isTaken[sourceLane] = true;
        placed.places.push_back(
            {static_cast<std::size_t>(&mix - plan.mixes.data()), from.lane + channel, lane, due});
    }
    return placed;
}

/// Gains from a channel of a route into left and right.
std::array<double, 2> gainsOf(const Session& s, const PlacedRoute& placed, std::size_t channel) {
    const auto gains = outputGains(*s.output(placed.route.from), placed.places.size() == 2)[channel];
    return {placed.route.level * gains[0], placed.route.level * gains[1]};
}

/// The levels of an owner's routes as its output is now, in the order in which they were made.
void takeLevels(const Session& s, Id owner, std::vector<PlacedRoute>& routes) {
    const auto now = routesOf(s, owner, ownLevel(s, owner));
    std::size_t next = 0;
    for (auto& placed : routes)
        if (placed.route.from == owner)
            placed.route.level = placed.route.to == session::kNoId ? ownLevel(s, owner) : now[next++].level;
}

/// What an owner's output changes in sections and along rides becomes other gains of the mixes that it goes
/// to.
void addMoments(Context& c, std::vector<PlacedRoute>& routes) {
    struct Turn {
        Id owner;
        Moment<Output> moment;
    };
    std::vector<Turn> turns;
    for (const auto& node : c.plan.nodes) {
        // The values alone: each moment is a copy.
        const Output& own = *c.session.output(node.id);
        Output out = own;
        out.changes.clear();
        out.rides.clear();
        for (const auto& moment : timelineOf(c.session, out, own.changes, own.rides))
            turns.push_back({node.id, moment});
    }
    std::stable_sort(turns.begin(), turns.end(),
                     [](const Turn& a, const Turn& b) { return a.moment.frame < b.moment.frame; });
    Session now = c.session;
    for (const auto& turn : turns) {
        now = session::withOutput(std::move(now), turn.owner, [&](Output& out) { out = turn.moment.value; });
        takeLevels(now, turn.owner, routes);
        for (const auto& placed : routes)
            for (std::size_t channel = 0; placed.route.from == turn.owner && channel < placed.places.size();
                 ++channel) {
                // Two routes may meet: what they come to together.
                const Place& at = placed.places[channel];
                std::array<double, 2> sum{};
                for (const auto& other : routes)
                    for (std::size_t i = 0; other.route.from == turn.owner && i < other.places.size(); ++i)
                        if (const Place& p = other.places[i];
                            p.mix == at.mix && p.source == at.source && p.target == at.target) {
                            const auto gains = gainsOf(now, other, i);
                            sum[0] += gains[0];
                            sum[1] += gains[1];
                        }
                for (int side = 0; side < 2; ++side)
                    c.plan.mixes[at.mix].moments.push_back(
                        {turn.moment.frame + at.due, at.source, at.target + side,
                         static_cast<float>(sum[static_cast<std::size_t>(side)]), turn.moment.glideFrames});
            }
    }
    for (auto& mix : c.plan.mixes)
        std::stable_sort(mix.moments.begin(), mix.moments.end(),
                         [](const MixMoment& a, const MixMoment& b) { return a.frame < b.frame; });
}

} // namespace

std::array<std::array<double, 2>, 2> outputGains(const Output& out, bool isStereo) {
    if (!isStereo) {
        // Constant power: the centre is 3 dB down on both sides.
        const double angle = (out.pan + 1) * kPi / 4;
        return {{{std::cos(angle), std::sin(angle)}, {0, 0}}};
    }
    const double left = std::min(1.0, 1 - out.pan);
    const double right = std::min(1.0, 1 + out.pan);
    const double width = out.widthPercent / 100;
    const double same = (1 + width) / 2;
    const double other = (1 - width) / 2;
    return {{{left * same, right * other}, {left * other, right * same}}};
}

void compileRoutes(Plan& plan, const Session& s, const Latencies& latencies, const std::vector<Id>& order,
                   const std::vector<Id>& stems) {
    Context c{plan, s, latencies};
    plan.latencyFrames = latencies.whole;
    std::vector<Route> routes;
    for (const Id id : order) {
        NodePlan& node = nodeOf(plan, id);
        node.outputLatency = latencies.output.at(id);
        node.outputGain = static_cast<float>(ownLevel(s, id));
        for (const auto& route : routesOf(s, id, ownLevel(s, id)))
            routes.push_back(route);
    }
    routes.push_back({s.master().id, session::kNoId, ownLevel(s, s.master().id), 0});
    for (std::size_t i = 0; i < stems.size(); ++i)
        routes.push_back({stems[i], session::kNoId, ownLevel(s, stems[i]), 2 + 2 * static_cast<int>(i)});
    std::vector<PlacedRoute> placed;
    for (const auto& route : routes)
        placed.push_back(addRoute(c, route));
    for (const auto& each : placed)
        for (std::size_t channel = 0; channel < each.places.size(); ++channel) {
            const Place& at = each.places[channel];
            const auto gains = gainsOf(s, each, channel);
            for (std::size_t side = 0; side < 2; ++side)
                plan.mixes[at.mix]
                    .gain[static_cast<std::size_t>(at.source)][static_cast<std::size_t>(at.target) + side] +=
                    static_cast<float>(gains[side]);
        }
    addMoments(c, placed);
    std::stable_sort(plan.mixes.begin(), plan.mixes.end(),
                     [](const MixPlan& a, const MixPlan& b) { return a.target < b.target; });
}

} // namespace cask::graph
