#include "core/graph/compile_latency.h"

#include "core/dsp/limiter.h"
#include "core/graph/lane_kinds.h"

#include <algorithm>

namespace cask::graph {
namespace {

using session::Module;
using session::Session;

/// Where a module, whose sound is `late` where it enters, stands against its key.
ModuleTiming timingOf(Latencies& all, const Session& s, const Module& module, int late) {
    ModuleTiming timing{late, 0, 0};
    if (listensToChain(s, module)) {
        const int keyLate = all.output[module.key];
        timing.wait = std::max(0, keyLate - late);
        timing.keyDelay = std::max(0, late - keyLate);
    }
    return timing;
}

/// Frames by which the sound comes later out of a module than it went in; whether it is on makes no
/// difference. A kind that waits has an overload.
template <class Settings>
int latencyOf([[maybe_unused]] const Settings& settings, [[maybe_unused]] double rate) {
    if constexpr (RunsInLanes<Settings>)
        return LanesOf<Settings>::latencyFrames(settings, rate);
    else
        return 0;
}
int latencyOf(const dsp::LimiterSettings& settings, double rate) {
    return dsp::Limiter::latencyFrames(settings, rate);
}

} // namespace

bool listensToChain(const Session& s, const Module& module) {
    return s.bus(module.key) != nullptr ||
           (module.keyTap == session::KeyTap::Chain && s.element(module.key) != nullptr);
}

Latencies findLatencies(const Session& s, const std::vector<Id>& order, double sampleRateHz) {
    Latencies all;
    for (const Id id : order) {
        int late = all.input[id];
        if (const auto* bus = s.bus(id); bus != nullptr && bus->path && bus->path->pitchCents != 0)
            late += dsp::PitchLanes::latencyFrames({bus->path->pitchCents}, sampleRateHz);
        for (const Module& module : *s.chain(id)) {
            const ModuleTiming timing = timingOf(all, s, module, late);
            all.modules[module.id] = timing;
            late += timing.wait +
                    std::visit([&](const auto& settings) { return latencyOf(settings, sampleRateHz); },
                               module.settings);
        }
        all.output[id] = late;
        all.whole = std::max(all.whole, late);
        const auto feed = [&](Id bus) { all.input[bus] = std::max(all.input[bus], late); };
        const auto& out = *s.output(id);
        if (out.bus != session::kNoId)
            feed(out.bus);
        for (const auto& send : out.sends)
            feed(send.bus);
    }
    return all;
}

std::map<Id, int> findLevels(const Session& s, const std::vector<Id>& order) {
    std::map<Id, int> levels;
    for (const Id id : order) {
        int& level = levels[id];
        if (s.bus(id) != nullptr)
            level = std::max(1, level);
        for (const Module& module : *s.chain(id))
            if (listensToChain(s, module))
                level = std::max(level, levels[module.key] + 1);
        const int next = level + 1;
        const auto& out = *s.output(id);
        if (out.bus != session::kNoId)
            levels[out.bus] = std::max(levels[out.bus], next);
        for (const auto& send : out.sends)
            levels[send.bus] = std::max(levels[send.bus], next);
    }
    return levels;
}

} // namespace cask::graph
