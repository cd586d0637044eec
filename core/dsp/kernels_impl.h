// The kernels over a lane type V of W floats (a register, or one float). Included by one file per instruction
// set.
#pragma once

#include "core/dsp/kernels.h"
#include "core/dsp/lane_delay.h"
#include "core/dsp/true_peak.h"

#include <algorithm>
#include <array>
#include <type_traits>
#include <utility>

namespace cask::dsp {
namespace {

/// Wraps a lane type: load, store, arithmetic. Specialised for float; register types come from xsimd.
template <class V> struct Ops;

/// The widest register: of two frames of all lanes where there is one.
template <class V> struct WidestOf { using type = V; };
template <class V>
requires requires {
    typename Ops<V>::Double;
}
struct WidestOf<V> {
    using type = typename Ops<V>::Double;
};
/// Registers side by side, where what they wait for is long: see Beside.
template <class V> struct RunOf { using type = typename WidestOf<V>::type; };
template <class V>
requires requires {
    typename Ops<V>::Run;
}
struct RunOf<V> {
    using type = typename Ops<V>::Run;
};
/// From one register of lanes to the next: a lane type holds some of them, or all of them once or twice.
template <class R> constexpr int kLaneStep = Ops<R>::kWidth < kLanes ? kLanes : Ops<R>::kWidth;

template <int... i, class Act>
[[gnu::always_inline]] inline void eachOf(std::integer_sequence<int, i...>, const Act& act) noexcept {
    (act(std::integral_constant<int, i>{}), ...);
}
/// act(0) to act(kCount - 1), numbers that are known when it is compiled: what they choose stays in
/// registers.
template <int kCount, class Act> [[gnu::always_inline]] inline void each(const Act& act) noexcept {
    eachOf(std::make_integer_sequence<int, kCount>{}, act);
}

} // namespace
} // namespace cask::dsp

#include "core/dsp/compressor_kernel.h"
#include "core/dsp/delay_kernel.h"
#include "core/dsp/dynamic_kernel.h"
#include "core/dsp/gate_kernel.h"
#include "core/dsp/half_band_kernel.h"
#include "core/dsp/section_cascade.h"
#include "core/dsp/shape_kernel.h"
#include "core/dsp/transient_kernel.h"

namespace cask::dsp {
namespace {

template <class V> inline V between(const LaneFloats& from, const LaneFloats& to, int lane, V t) {
    using O = Ops<V>;
    const V a = O::load(from.data() + lane);
    return O::fma(t, O::load(to.data() + lane) - a, a);
}

/// One section while it glides: coefficients anew for every frame.
template <class V>
void filterGliding(SectionLanes& p, int lane, float* io, int frames, int done, int length) noexcept {
    using O = Ops<V>;
    SectionState<V> state{O::load(p.s1.data() + lane), O::load(p.s2.data() + lane)};
    const float step = 1.0F / static_cast<float>(length);
    for (int n = 0; n < frames; ++n) {
        const V t = smoothstep(V(static_cast<float>(done + n + 1) * step));
        const V g = between(p.fromG, p.g, lane, t);
        const V k = between(p.fromK, p.k, lane, t);
        const V a1 = V(1.0F) / O::fma(g, g + k, V(1.0F));
        const V a2 = g * a1;
        const V c1 = V(-2.0F) * a2 * (g + k);
        float* frame = io + n * kLanes + lane;
        const V x = O::load(frame);
        const SectionState<V> before = state;
        advance<V>(x, c1, V(2.0F) * a2, V(2.0F) * g * a2, state);
        const V half(0.5F);
        const V band = half * between(p.fromM1, p.m1, lane, t) * (before.s1 + state.s1);
        const V low = half * between(p.fromM2, p.m2, lane, t) * (before.s2 + state.s2);
        O::store(frame, O::fma(between(p.fromM0, p.m0, lane, t), x, band + low));
    }
    O::store(p.s1.data() + lane, state.s1);
    O::store(p.s2.data() + lane, state.s2);
}

template <class V> void filterGroup(SectionBank& bank, float* io, int frames) noexcept {
    const int gliding = std::min(frames, bank.glideLeft);
    if (gliding > 0) {
        for (auto& section : bank.sections)
            for (int lane = 0; lane < kLanes; lane += Ops<V>::kWidth)
                filterGliding<V>(section, lane, io, gliding, bank.glideFrames - bank.glideLeft,
                                 bank.glideFrames);
        bank.glideLeft -= gliding;
        if (bank.glideLeft == 0)
            settle(bank);
        io += gliding * kLanes;
        frames -= gliding;
    }
    if (frames == 0)
        return;
    const int count = static_cast<int>(bank.sections.size());
    for (int s = 0; s < count;)
        s += filterSome<V>(bank.sections.data() + s, count - s, io, frames);
}

/// N source lanes into all target lanes, their gains in registers; some frames at once, because a sum over
/// all sources waits for itself. `IsFirst`: they are the first ones.
template <class V, int N, bool IsFirst>
void mixColumns(const MixMatrix& m, const int* used, const float* in, float* out, int frames,
                bool adds) noexcept {
    using O = Ops<V>;
    constexpr int kAtOnce = 4;
    std::array<int, N> source;
    for (int i = 0; i < N; ++i)
        source[static_cast<std::size_t>(i)] = IsFirst ? i : used[i];
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        V gain[N];
        each<N>(
            [&](auto i) { gain[i] = O::load(m.gain[static_cast<std::size_t>(source[i])].data() + lane); });
        const auto mix = [&]<int kCount>(std::integral_constant<int, kCount>, int n)
            __attribute__((always_inline)) {
            V sum[kCount];
            float* const to = out + n * kLanes + lane;
            each<kCount>([&](auto f) { sum[f] = adds ? O::load(to + f * kLanes) : V(0.0F); });
            each<N>([&](auto i) __attribute__((always_inline)) {
                const float* const from = in + n * kLanes + (IsFirst ? int(i) : source[i]);
                each<kCount>([&](auto f) { sum[f] = O::fma(V(from[f * kLanes]), gain[i], sum[f]); });
            });
            each<kCount>([&](auto f) { O::store(to + f * kLanes, sum[f]); });
        };
        int n = 0;
        for (; n + kAtOnce <= frames; n += kAtOnce)
            mix(std::integral_constant<int, kAtOnce>(), n);
        for (; n < frames; ++n)
            mix(std::integral_constant<int, 1>(), n);
    }
}

template <class V>
void mixSteady(const MixMatrix& m, const float* in, float* out, int frames, bool adds) noexcept {
    int used[kLanes];
    int count = 0;
    for (int s = 0; s < kLanes; ++s)
        if (m.isUsed[static_cast<std::size_t>(s)])
            used[count++] = s;
    if (count == 0) {
        if (!adds)
            std::fill_n(out, frames * kLanes, 0.0F);
        return;
    }
    const bool isFirst = used[count - 1] == count - 1;
    eachOf(std::make_integer_sequence<int, kLanes>(), [&](auto i) {
        if (i + 1 == count)
            (isFirst ? &mixColumns<V, i + 1, true> : &mixColumns<V, i + 1, false>)(m, used, in, out, frames,
                                                                                   adds);
    });
}

template <class V> void mixGroup(MixMatrix& m, const float* in, float* out, int frames, bool adds) noexcept {
    using O = Ops<V>;
    const int gliding = std::min(frames, m.glideLeft);
    const int done = m.glideFrames - m.glideLeft;
    for (int lane = 0; gliding > 0 && lane < kLanes; lane += O::kWidth) {
        const float step = 1.0F / static_cast<float>(m.glideFrames);
        for (int n = 0; n < gliding; ++n) {
            const V t = smoothstep(V(static_cast<float>(done + n + 1) * step));
            float* to = out + n * kLanes + lane;
            V sum = adds ? O::load(to) : V(0.0F);
            for (std::size_t s = 0; s < kLanes; ++s)
                if (m.isUsed[s])
                    sum = O::fma(V(in[n * kLanes + static_cast<int>(s)]),
                                 between(m.from[s], m.gain[s], lane, t), sum);
            O::store(to, sum);
        }
    }
    m.glideLeft -= gliding;
    mixSteady<V>(m, in + gliding * kLanes, out + gliding * kLanes, frames - gliding, adds);
}

template <class V> void shiftGroup(const LaneFloats* taps, const float* in, float* out, int frames) noexcept {
    using O = Ops<V>;
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        for (int n = 0; n < frames; ++n) {
            V sum(0.0F);
            for (int t = 0; t < kShiftTaps; ++t)
                sum = O::fma(O::load(taps[t].data() + lane),
                             O::load(in + (n + kShiftTaps - 1 - t) * kLanes + lane), sum);
            O::store(out + n * kLanes + lane, sum);
        }
    }
}

template <class V> void levelsGroup(const float* in, int frames, LaneLevels& levels) noexcept {
    for (int lane = 0; lane < kLanes; lane += Ops<V>::kWidth) {
        RunLevels<V> run;
        run.take(frames, [&](int n) { return Ops<V>::load(in + n * kLanes + lane); });
        run.store(levels, lane);
    }
}

template <class V>
void gainLevelsGroup(const float* sound, const float* gain, float dry, float scale, int frames,
                     GainLevels& levels) noexcept {
    using O = Ops<V>;
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        const auto sounds = [&](int n) { return O::load(sound + n * kLanes + lane); };
        const auto gains = [&](int n) { return O::load(gain + n * kLanes + lane); };
        RunLevels<V> before;
        before.take(frames, sounds);
        before.store(levels.before, lane);
        RunLevels<V> after;
        after.take(frames, [&](int n) { return sounds(n) * O::fma(V(scale), gains(n), V(dry)); });
        after.store(levels.after, lane);
        V least = gains(0);
        V most = least;
        for (int n = 1; n < frames; ++n) {
            least = O::min(least, gains(n));
            most = O::max(most, gains(n));
        }
        O::store(levels.least.data() + lane, least);
        O::store(levels.most.data() + lane, most);
    }
}

template <class V>
void interleaveGroup(const float* const* planar, const LaneFloats& gain, float* out, int frames) noexcept {
    using Quad = typename Ops<V>::Quad;
    using O = Ops<Quad>;
    constexpr int kWidth = O::kWidth;
    int n = 0;
    for (; n + kWidth <= frames; n += kWidth) {
        for (int lane = 0; lane < kLanes; lane += kWidth) {
            Quad rows[kWidth];
            for (int i = 0; i < kWidth; ++i)
                rows[i] = O::load(planar[lane + i] + n);
            O::transpose(rows);
            const Quad gains = O::load(gain.data() + lane);
            for (int i = 0; i < kWidth; ++i)
                O::store(out + (n + i) * kLanes + lane, rows[i] * gains);
        }
    }
    for (; n < frames; ++n)
        for (int lane = 0; lane < kLanes; ++lane)
            out[n * kLanes + lane] = planar[lane][n] * gain[lane];
}

/// As many samples as registers of R hold.
template <class R> void peaksAt(const PeakTaps& taps, const float* x, float* peaks) noexcept {
    using O = Ops<R>;
    constexpr int kPhases = PeakTaps::kPhases - 1; // the first phase is the sample itself
    R sums[kPhases];
    for (R& sum : sums)
        sum = R(0.0F);
    for (std::size_t t = 0; t < PeakTaps::kTaps; ++t) {
        const R v = O::load(x + t);
        each<kPhases>([&](auto p) __attribute__((always_inline)) {
            sums[p] = O::fma(R(taps.byTap[t][static_cast<std::size_t>(p)]), v, sums[p]);
        });
    }
    R greatest = O::abs(O::load(x + PeakTaps::kTaps - 1 - PeakTaps::kDelayFrames));
    for (const R& sum : sums)
        greatest = O::max(greatest, O::abs(sum));
    O::store(peaks, greatest);
}

template <class V>
void peaksBetween(const PeakTaps& taps, const float* x, int frames, float* peaks) noexcept {
    using R = typename WidestOf<V>::type;
    constexpr int kWidth = Ops<R>::kWidth;
    int n = 0;
    for (; n + kWidth <= frames; n += kWidth)
        peaksAt<R>(taps, x + n, peaks + n);
    for (; n < frames; n += Ops<V>::kWidth)
        peaksAt<V>(taps, x + n, peaks + n);
}

template <class V> constexpr Kernels makeKernels(const char* name) {
    return {name,
            &filterGroup<V>,
            &mixGroup<V>,
            &shiftGroup<V>,
            &levelsGroup<V>,
            &gainLevelsGroup<V>,
            &levelsOfBands<V>,
            &interleaveGroup<V>,
            &peaksBetween<V>,
            &planesUp<V>,
            &planesDown<V>,
            &movePlanes<V>,
            &lanesToPlanes<V>,
            &planesToLanes<V>,
            &curvePlanes<V>,
            &tapeGroup<V>,
            &addShapedGroup<V>,
            &delayGroup<V>,
            &compressGroup<V>,
            &louderOfPairs<V>,
            &gateGroup<V>,
            &multiplyGroup<V>,
            &delayAndMultiply<V>,
            &shapeGroup<V>,
            &moveBands<V>};
}

} // namespace
} // namespace cask::dsp
