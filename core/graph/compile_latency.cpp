#include "core/graph/compile_latency.h"

#include "core/dsp/ceiling.h"
#include "core/dsp/gate.h"

#include <algorithm>

namespace cask::graph {
namespace {

using session::Module;
using session::Session;

int ceilingLatency(double sampleRateHz) {
    dsp::Ceiling probe;
    probe.prepare(sampleRateHz);
    return probe.latencyFrames();
}

/// Frames that the sound, `late` where it enters the module, must wait for the module's key.
int addKey(Latencies& all, const Session& s, const Module& module, int late) {
    KeyTiming& key = all.keys[module.id];
    key.before = late;
    if (s.bus(module.key) != nullptr) {
        const int keyLate = all.output[module.key];
        key.wait = std::max(0, keyLate - late);
        key.keyDelay = std::max(0, late - keyLate);
    }
    return key.wait;
}

} // namespace

Latencies findLatencies(const Session& s, const std::vector<Id>& order, double sampleRateHz) {
    Latencies all;
    const int ceiling = ceilingLatency(sampleRateHz);
    for (const Id id : order) {
        int late = all.input[id];
        for (const Module& module : *s.chain(id)) {
            if (std::holds_alternative<dsp::CeilingSettings>(module.settings)) {
                late += ceiling;
            } else if (const auto* gate = std::get_if<dsp::GateSettings>(&module.settings)) {
                late += addKey(all, s, module, late) + dsp::gateLatency(*gate, sampleRateHz);
            } else if (module.key != session::kNoId) {
                late += addKey(all, s, module, late);
            }
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
            if (s.bus(module.key) != nullptr)
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
