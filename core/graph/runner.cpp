#include "core/graph/runner.h"

#include "core/dsp/fractional_delay.h"
#include "core/graph/glide.h"

#include <algorithm>
#include <cmath>

namespace cask::graph {
namespace {

using dsp::kLanes;

} // namespace

Runner::Runner(std::shared_ptr<const Plan> plan, int mostFramesPerBlock, int slots)
    : m_plan(std::move(plan)), m_mostFrames(mostFramesPerBlock), m_kernels(dsp::kernels()) {
    const auto frames = static_cast<std::size_t>(m_mostFrames);
    m_groups.resize(m_plan->groups.size());
    for (std::size_t g = 0; g < m_groups.size(); ++g) {
        const GroupPlan& from = m_plan->groups[g];
        GroupState& group = m_groups[g];
        group.sound.resize(frames * kLanes * static_cast<std::size_t>(slots));
        if (from.shifts)
            group.raw.resize((frames + dsp::kShiftTaps - 1) * kLanes);
        if (from.isInput)
            group.planar.resize((frames + dsp::kShiftTaps - 1) * kLanes);
        for (int lane = 0; lane < kLanes; ++lane)
            group.gain[lane] = from.inputs[static_cast<std::size_t>(lane)].gain;
        group.fromGain = group.gain;
        for (std::size_t s = 0; s < from.steps.size(); ++s) {
            StepState step{SectionRun(from.steps[s], m_plan->glideFrames), {}, {}, {}, {}, {}, {}};
            bool haveDetectors = !from.steps[s].sections.empty();
            for (const auto& gate : from.steps[s].gates) {
                step.gates.emplace_back(gate, m_plan->sampleRateHz, m_mostFrames, m_plan->glideFrames);
                haveDetectors = haveDetectors || !gate.key.isOwn();
            }
            for (const auto& dynamics : from.steps[s].dynamics) {
                step.dynamics.emplace_back(dynamics, m_plan->sampleRateHz, m_mostFrames);
                if (!dynamics.key.isOwn())
                    step.keys.resize(frames * kLanes);
            }
            if ((!step.gates.empty() && haveDetectors) || !step.dynamics.empty())
                step.detectors.resize(frames * kLanes);
            if (!from.steps[s].middles.empty())
                step.parts.resize(frames * kLanes);
            for (const auto& ceiling : from.steps[s].ceilings)
                step.ceilings.emplace_back(ceiling, m_plan->sampleRateHz, m_mostFrames);
            for (std::size_t i = 0; i < from.steps[s].sections.size(); ++i)
                for (int lane = 0; lane < kLanes; ++lane)
                    if (const auto key = from.steps[s].sections[i][static_cast<std::size_t>(lane)].key;
                        key != kNoState)
                        m_places.push_back(
                            {key, static_cast<int>(g), static_cast<int>(s), static_cast<int>(i), lane});
            group.steps.push_back(std::move(step));
        }
    }
    std::sort(m_places.begin(), m_places.end(), [](const auto& a, const auto& b) { return a.key < b.key; });

    m_mixesOfGroup.assign(m_groups.size(), {0, 0});
    m_mixes.resize(m_plan->mixes.size());
    for (std::size_t i = 0; i < m_mixes.size(); ++i) {
        const MixPlan& from = m_plan->mixes[i];
        MixState& mix = m_mixes[i];
        auto& range = m_mixesOfGroup[static_cast<std::size_t>(from.target)];
        if (range.first == range.second)
            range.first = static_cast<int>(i);
        range.second = static_cast<int>(i) + 1;
        mix.matrix.glideFrames = m_plan->glideFrames;
        for (std::size_t l = 0; l < kLanes; ++l) {
            for (int t = 0; t < kLanes; ++t)
                mix.matrix.gain[l][t] = from.gain[l][static_cast<std::size_t>(t)];
            mix.matrix.isUsed[l] =
                std::any_of(from.gain[l].begin(), from.gain[l].end(), [](float g) { return g != 0; });
        }
        mix.matrix.from = mix.matrix.gain;
        const int longest = *std::max_element(from.delayFrames.begin(), from.delayFrames.end());
        if (longest > 0) {
            mix.delays = true;
            mix.length = longest + m_mostFrames;
            mix.ring.resize(static_cast<std::size_t>(mix.length * kLanes));
            mix.delayed.resize(frames * kLanes);
        }
    }
}

void Runner::resetGroup(GroupState& group) noexcept {
    group.gainGlideLeft = 0;
    for (auto& step : group.steps) {
        step.sections.reset();
        for (auto& ceiling : step.ceilings)
            ceiling.reset();
        for (auto& gate : step.gates)
            gate.reset();
        for (auto& dynamics : step.dynamics)
            dynamics.reset();
    }
}

void Runner::reset() noexcept {
    for (auto& group : m_groups)
        resetGroup(group);
    for (auto& mix : m_mixes) {
        mix.matrix.glideLeft = 0;
        std::fill(mix.ring.begin(), mix.ring.end(), 0.0F);
    }
}

void Runner::readInputs(std::size_t index, Frames start, int frames, float* to) noexcept {
    const GroupPlan& plan = m_plan->groups[index];
    GroupState& group = m_groups[index];
    const int ahead = plan.shifts ? dsp::kShiftTaps - 1 : 0;
    const int count = frames + ahead;
    std::array<const float*, kLanes> planar;
    for (std::size_t lane = 0; lane < kLanes; ++lane) {
        const LaneInput& input = plan.inputs[lane];
        const std::span<float> piece =
            std::span(group.planar)
                .subspan(lane * static_cast<std::size_t>(count), static_cast<std::size_t>(count));
        planar[lane] = piece.data();
        if (!input.source) {
            std::fill(piece.begin(), piece.end(), 0.0F);
            continue;
        }
        // With a shift the filter needs kShiftDelayFrames of the future and the rest of the past.
        const Frames from = start - input.delayFrames - (plan.shifts ? ahead - dsp::kShiftDelayFrames : 0);
        group.sourcesReady = input.source->read(input.channel, from, piece) && group.sourcesReady;
    }
    const int gliding = std::min(frames, group.gainGlideLeft);
    dsp::LaneFloats unity;
    unity.v.fill(1);
    m_kernels.interleave(planar.data(), gliding > 0 ? unity : group.gain, plan.shifts ? group.raw.data() : to,
                         count);
    if (plan.shifts)
        m_kernels.shift(plan.shiftTaps.data(), group.raw.data(), to, frames);
    if (gliding == 0)
        return;
    const int done = m_plan->glideFrames - group.gainGlideLeft;
    for (int n = 0; n < frames; ++n) {
        const float s = smooth(static_cast<float>(std::min(done + n + 1, m_plan->glideFrames)) /
                               static_cast<float>(m_plan->glideFrames));
        for (int lane = 0; lane < kLanes; ++lane)
            to[n * kLanes + lane] *= group.fromGain[lane] + s * (group.gain[lane] - group.fromGain[lane]);
    }
    group.gainGlideLeft -= gliding;
}

void Runner::runMix(std::size_t index, int frames, int slot, bool adds) noexcept {
    const MixPlan& plan = m_plan->mixes[index];
    MixState& mix = m_mixes[index];
    const float* source = sound(static_cast<std::size_t>(plan.source), slot);
    if (mix.delays) {
        for (int n = 0; n < frames; ++n) {
            const int write = (mix.at + n) % mix.length;
            std::copy_n(source + n * kLanes, kLanes, mix.ring.data() + write * kLanes);
            for (int lane = 0; lane < kLanes; ++lane) {
                int read = write - plan.delayFrames[static_cast<std::size_t>(lane)];
                read += read < 0 ? mix.length : 0;
                mix.delayed[static_cast<std::size_t>(n * kLanes + lane)] =
                    mix.ring[static_cast<std::size_t>(read * kLanes + lane)];
            }
        }
        mix.at = (mix.at + frames) % mix.length;
        source = mix.delayed.data();
    }
    m_kernels.mix(mix.matrix, source, sound(static_cast<std::size_t>(plan.target), slot), frames, adds);
}

void Runner::fillKey(GroupState& group, KeyRun& key, Frames start, int frames, int slot, float* to) noexcept {
    const KeyPlan& plan = key.plan();
    const float* bus =
        plan.group >= 0 ? sound(static_cast<std::size_t>(plan.group), slot) + plan.lane : nullptr;
    group.sourcesReady = key.fill(start, frames, bus, to) && group.sourcesReady;
}

void Runner::runDynamics(std::size_t index, std::size_t s, float* io, Frames start, int frames,
                         int slot) noexcept {
    GroupState& group = m_groups[index];
    StepState& step = group.steps[s];
    for (auto& dynamics : step.dynamics)
        dynamics.wait(io, frames);
    std::copy_n(io, frames * kLanes, step.detectors.data());
    for (auto& dynamics : step.dynamics) {
        const bool isKeyed = !dynamics.plan().key.isOwn();
        if (isKeyed)
            fillKey(group, dynamics.key(), start, frames, slot, step.keys.data());
        dynamics.process(io, step.detectors.data(), isKeyed ? step.keys.data() : nullptr, start, frames);
    }
}

void Runner::runGates(std::size_t index, std::size_t s, float* io, Frames start, int frames,
                      int slot) noexcept {
    GroupState& group = m_groups[index];
    StepState& step = group.steps[s];
    const float* detectors = io;
    if (!step.detectors.empty()) {
        std::copy_n(io, frames * kLanes, step.detectors.data());
        for (auto& gate : step.gates)
            if (!gate.plan().key.isOwn())
                fillKey(group, gate.key(), start, frames, slot, step.detectors.data());
        if (!step.sections.isEmpty())
            step.sections.process(m_kernels, step.detectors.data(), start, frames);
        detectors = step.detectors.data();
    }
    for (auto& gate : step.gates)
        gate.process(io, detectors, start, frames);
}

void Runner::runMiddleAndSide(StepState& step, const std::vector<int>& pairs, float* io, Frames start,
                              int frames) noexcept {
    float* parts = step.parts.data();
    std::fill_n(parts, frames * kLanes, 0.0F);
    for (const int lane : pairs)
        for (int n = lane; n < frames * kLanes; n += kLanes) {
            parts[n] = 0.5F * (io[n] + io[n + 1]);
            parts[n + 1] = 0.5F * (io[n] - io[n + 1]);
        }
    step.sections.process(m_kernels, parts, start, frames);
    // Only what the filters changed is taken back: where they do nothing every bit stays.
    for (const int lane : pairs)
        for (int n = lane; n < frames * kLanes; n += kLanes) {
            const float middle = parts[n] - 0.5F * (io[n] + io[n + 1]);
            const float side = parts[n + 1] - 0.5F * (io[n] - io[n + 1]);
            io[n] += middle + side;
            io[n + 1] += middle - side;
        }
}

void Runner::runGroup(std::size_t index, Frames start, int frames, int slot) noexcept {
    GroupState& group = m_groups[index];
    const GroupPlan& plan = m_plan->groups[index];
    float* io = sound(index, slot);
    group.sourcesReady = true;
    if (plan.isInput) {
        readInputs(index, start, frames, io);
    } else {
        const auto [first, end] = m_mixesOfGroup[index];
        if (first == end)
            std::fill_n(io, frames * kLanes, 0.0F);
        for (int i = first; i < end; ++i)
            runMix(static_cast<std::size_t>(i), frames, slot, i > first);
    }
    for (std::size_t s = 0; s < group.steps.size(); ++s) {
        StepState& step = group.steps[s];
        if (!step.gates.empty()) {
            runGates(index, s, io, start, frames, slot);
            continue;
        }
        if (!step.dynamics.empty()) {
            runDynamics(index, s, io, start, frames, slot);
            continue;
        }
        if (!step.parts.empty())
            runMiddleAndSide(step, plan.steps[s].middles, io, start, frames);
        else if (!step.sections.isEmpty())
            step.sections.process(m_kernels, io, start, frames);
        for (auto& ceiling : step.ceilings)
            ceiling.process(io, start, frames);
    }
    m_kernels.levels(io, frames, group.levels);
    guard(group, io, frames);
}

void Runner::guard(GroupState& group, float* sound, int frames) noexcept {
    float sum = 0;
    for (const float squares : group.levels.sumSquares.v)
        sum += squares;
    if (std::isfinite(sum))
        return;
    std::fill_n(sound, frames * kLanes, 0.0F);
    group.levels = {};
    resetGroup(group);
    m_notFiniteBlocks.fetch_add(1, std::memory_order_relaxed);
}

bool Runner::process(Frames start, int frames) noexcept {
    for (std::size_t g = 0; g < m_groups.size(); ++g)
        runGroup(g, start, frames, 0);
    m_lastFrames = frames;
    return std::all_of(m_groups.begin(), m_groups.end(), [](const GroupState& g) { return g.sourcesReady; });
}

const float* Runner::stem(int index, int slot) const {
    const auto [group, lane] = m_plan->stemPlace(index);
    return sound(static_cast<std::size_t>(group), slot) + lane;
}

float Runner::peak(const NodePlan& node) const noexcept {
    const auto& levels = m_groups[static_cast<std::size_t>(node.group)].levels;
    return node.lanes == 1 ? levels.peak[node.lane]
                           : std::max(levels.peak[node.lane], levels.peak[node.lane + 1]);
}

float Runner::meanSquare(const NodePlan& node) const noexcept {
    const auto& levels = m_groups[static_cast<std::size_t>(node.group)].levels;
    float sum = levels.sumSquares[node.lane];
    if (node.lanes == 2)
        sum = 0.5F * (sum + levels.sumSquares[node.lane + 1]);
    return m_lastFrames > 0 ? sum / static_cast<float>(m_lastFrames) : 0;
}

float Runner::gateGain(const NodePlan& node) const noexcept {
    float gain = 1;
    for (const auto& step : m_groups[static_cast<std::size_t>(node.group)].steps)
        for (const auto& gate : step.gates)
            if (gate.plan().lane == node.lane)
                gain *= gate.gainNow();
    return gain;
}

float Runner::movedDb(Id band) const noexcept {
    float moved = 0;
    for (const auto& group : m_groups)
        for (const auto& step : group.steps)
            for (const auto& dynamics : step.dynamics)
                moved += dynamics.movedDb(band); // one of them has it
    return moved;
}

float Runner::takeLeastCeilingGain() noexcept {
    float least = 1;
    for (auto& group : m_groups)
        for (auto& step : group.steps)
            for (auto& c : step.ceilings)
                least = std::min(least, c.takeLeastGain());
    return least;
}

} // namespace cask::graph
