#include "core/graph/compile_routes.h"

#include "core/base/units.h"
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
    return e != nullptr && !session::isHeard(s, *e) ? 0 : levelLinear(out.levelDb);
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

void addRoute(Context& c, const Route& route) {
    Plan& plan = c.plan;
    const NodePlan from = nodeOf(plan, route.from);
    const Output& out = *c.session.output(route.from);
    const auto gains = outputGains(out, from.lanes == 2);
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
        for (int side = 0; side < 2; ++side)
            mix.gain[sourceLane][static_cast<std::size_t>(lane + side)] += static_cast<float>(
                route.level * gains[static_cast<std::size_t>(channel)][static_cast<std::size_t>(side)]);
    }
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
    for (const auto& route : routes)
        addRoute(c, route);
    std::stable_sort(plan.mixes.begin(), plan.mixes.end(),
                     [](const MixPlan& a, const MixPlan& b) { return a.target < b.target; });
}

} // namespace cask::graph
