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
            group.steps.push_back(makeStepRun(
                from.steps[s], {m_plan->sampleRateHz, m_mostFrames, m_plan->glideFrames, &m_kernels}));
            for (std::size_t i = 0; i < from.steps[s].sections.size(); ++i)
                for (int lane = 0; lane < kLanes; ++lane)
                    if (const auto key = from.steps[s].sections[i][static_cast<std::size_t>(lane)].key;
                        key != kNoState)
                        m_places.push_back(
                            {key, static_cast<int>(g), static_cast<int>(s), static_cast<int>(i), lane});
        }
    }
    std::sort(m_places.begin(), m_places.end(), [](const auto& a, const auto& b) { return a.key < b.key; });

    m_mixesOfGroup.assign(m_groups.size(), {0, 0});
    m_mixes.reserve(m_plan->mixes.size());
    for (std::size_t i = 0; i < m_plan->mixes.size(); ++i) {
        const MixPlan& from = m_plan->mixes[i];
        MixState& mix = m_mixes.emplace_back(from);
        auto& range = m_mixesOfGroup[static_cast<std::size_t>(from.target)];
        if (range.first == range.second)
            range.first = static_cast<int>(i);
        range.second = static_cast<int>(i) + 1;
        mix.matrix.glideFrames = m_plan->glideFrames;
        takeGains(mix.matrix, from);
        mix.matrix.from = mix.matrix.gain;
        mix.delay.prepare(from.delayFrames);
        if (mix.delay.tapCount > 0)
            mix.delayed.resize(frames * kLanes);
    }
}

void Runner::resetGroup(GroupState& group) noexcept {
    group.gainGlideLeft = 0;
    for (auto& step : group.steps)
        step->reset();
}

void Runner::reset() noexcept {
    for (auto& group : m_groups)
        resetGroup(group);
    for (auto& mix : m_mixes) {
        mix.matrix.glideLeft = 0;
        mix.clock.forget();
        mix.delay.reset();
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

void Runner::runMix(std::size_t index, Frames start, int frames, int slot, bool adds) noexcept {
    const MixPlan& plan = m_plan->mixes[index];
    MixState& mix = m_mixes[index];
    const float* source = sound(static_cast<std::size_t>(plan.source), slot);
    if (!mix.delayed.empty()) {
        std::copy_n(source, frames * kLanes, mix.delayed.data());
        source = mix.delayed.data();
        m_kernels.delay(mix.delay, mix.delayed.data(), frames);
    }
    if (mix.clock.isJump(start) && !plan.moments.empty()) {
        settleMix(mix, plan, start);
        mix.matrix.from = mix.matrix.gain;
        mix.matrix.glideLeft = 0;
    }
    float* target = sound(static_cast<std::size_t>(plan.target), slot);
    for (int done = 0; done < frames;) {
        takeMoments(mix, start + done);
        const int n = mix.clock.untilNext(start + done, frames - done);
        const std::ptrdiff_t at = static_cast<std::ptrdiff_t>(done) * kLanes;
        m_kernels.mix(mix.matrix, source + at, target + at, n, adds);
        done += n;
    }
    mix.clock.standAt(start + frames);
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
            runMix(static_cast<std::size_t>(i), start, frames, slot, i > first);
    }
    StepBlock block{io,
                    start,
                    frames,
                    [](const void* runner, int other, int inSlot) {
                        return static_cast<const Runner*>(runner)->sound(static_cast<std::size_t>(other),
                                                                         inSlot);
                    },
                    this,
                    slot};
    for (auto& step : group.steps)
        step->process(block);
    group.sourcesReady = group.sourcesReady && block.areKeysReady;
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

float Runner::gainOf(Stage stage, const NodePlan& node) const noexcept {
    float left = 1;
    float right = 1;
    for (const auto& step : m_groups[static_cast<std::size_t>(node.group)].steps) {
        left *= step->gainOf(stage, node.lane);
        right *= step->gainOf(stage, node.lane + node.lanes - 1);
    }
    return std::min(left, right);
}

float Runner::movedDb(Id band) const noexcept {
    float moved = 0;
    for (const auto& group : m_groups)
        for (const auto& step : group.steps)
            moved += step->movedDb(band); // one of them has it
    return moved;
}

float Runner::takeLeastCeilingGain() noexcept {
    float least = 1;
    for (auto& group : m_groups)
        for (auto& step : group.steps)
            least = std::min(least, step->takeLeastCeilingGain());
    return least;
}

} // namespace cask::graph
