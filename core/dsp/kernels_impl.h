// The kernels over a lane type V of W floats (a register, or one float). Included by one file per instruction
// set.
#pragma once

#include "core/dsp/kernels.h"

#include <algorithm>

namespace cask::dsp {
namespace {

/// Wraps a lane type: load, store, arithmetic. Specialised for float; register types come from xsimd.
template <class V> struct Ops;

template <class V> inline V smoothstep(V t) {
    return t * t * (V(3.0F) - V(2.0F) * t);
}

template <class V> struct SectionState { V s1, s2; };

/// One section, one frame. Increments are added to the state so that low corners keep their precision.
template <class V> inline V tick(V x, V c1, V c2, V c3, V h0, V h1, V h2, SectionState<V>& s) noexcept {
    using O = Ops<V>;
    const V v3 = x - s.s2;
    const V n1 = O::fma(c2, v3, O::fma(c1, s.s1, s.s1));
    const V n2 = O::fma(c3, v3, O::fma(c2, s.s1, s.s2));
    const V out = O::fma(h2, n2 + s.s2, O::fma(h1, n1 + s.s1, h0 * x));
    s.s1 = n1;
    s.s2 = n2;
    return out;
}

/// S sections of the lanes from `lane` on, over all frames, states in registers.
template <class V, int S>
void filterSteady(SectionLanes* sections, int lane, float* io, int frames) noexcept {
    using O = Ops<V>;
    SectionState<V> state[S];
    for (int s = 0; s < S; ++s)
        state[s] = {O::load(sections[s].s1.data() + lane), O::load(sections[s].s2.data() + lane)};
    for (int n = 0; n < frames; ++n) {
        float* frame = io + n * kLanes + lane;
        V x = O::load(frame);
        for (int s = 0; s < S; ++s) {
            const SectionLanes& p = sections[s];
            x = tick<V>(x, O::load(p.c1.data() + lane), O::load(p.c2.data() + lane),
                        O::load(p.c3.data() + lane), O::load(p.h0.data() + lane), O::load(p.h1.data() + lane),
                        O::load(p.h2.data() + lane), state[s]);
        }
        O::store(frame, x);
    }
    for (int s = 0; s < S; ++s) {
        O::store(sections[s].s1.data() + lane, state[s].s1);
        O::store(sections[s].s2.data() + lane, state[s].s2);
    }
}

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
        const V x = tick<V>(O::load(frame), c1, V(2.0F) * a2, V(2.0F) * g * a2,
                            between(p.fromM0, p.m0, lane, t), V(0.5F) * between(p.fromM1, p.m1, lane, t),
                            V(0.5F) * between(p.fromM2, p.m2, lane, t), state);
        O::store(frame, x);
    }
    O::store(p.s1.data() + lane, state.s1);
    O::store(p.s2.data() + lane, state.s2);
}

template <class V> void filterGroup(SectionBank& bank, float* io, int frames) noexcept {
    constexpr int kWidth = Ops<V>::kWidth;
    const int gliding = std::min(frames, bank.glideLeft);
    if (gliding > 0) {
        for (auto& section : bank.sections)
            for (int lane = 0; lane < kLanes; lane += kWidth)
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
    SectionLanes* sections = bank.sections.data();
    for (int s = 0; s < count;) {
        const int left = count - s;
        for (int lane = 0; lane < kLanes; lane += kWidth) {
            if (left >= 4)
                filterSteady<V, 4>(sections + s, lane, io, frames);
            else if (left == 3)
                filterSteady<V, 3>(sections + s, lane, io, frames);
            else if (left == 2)
                filterSteady<V, 2>(sections + s, lane, io, frames);
            else
                filterSteady<V, 1>(sections + s, lane, io, frames);
        }
        s += std::min(left, 4);
    }
}

template <class V> void mixSteady(const MixMatrix& m, const float* in, float* out, int frames) noexcept {
    using O = Ops<V>;
    int used[kLanes];
    int count = 0;
    for (int s = 0; s < kLanes; ++s)
        if (m.isUsed[static_cast<std::size_t>(s)])
            used[count++] = s;
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        for (int n = 0; n < frames; ++n) {
            float* to = out + n * kLanes + lane;
            V sum = O::load(to);
            for (int i = 0; i < count; ++i)
                sum = O::fma(V(in[n * kLanes + used[i]]),
                             O::load(m.gain[static_cast<std::size_t>(used[i])].data() + lane), sum);
            O::store(to, sum);
        }
    }
}

template <class V> void mixGroup(MixMatrix& m, const float* in, float* out, int frames) noexcept {
    using O = Ops<V>;
    const int gliding = std::min(frames, m.glideLeft);
    const int done = m.glideFrames - m.glideLeft;
    for (int lane = 0; gliding > 0 && lane < kLanes; lane += O::kWidth) {
        const float step = 1.0F / static_cast<float>(m.glideFrames);
        for (int n = 0; n < gliding; ++n) {
            const V t = smoothstep(V(static_cast<float>(done + n + 1) * step));
            float* to = out + n * kLanes + lane;
            V sum = O::load(to);
            for (std::size_t s = 0; s < kLanes; ++s)
                if (m.isUsed[s])
                    sum = O::fma(V(in[n * kLanes + static_cast<int>(s)]),
                                 between(m.from[s], m.gain[s], lane, t), sum);
            O::store(to, sum);
        }
    }
    m.glideLeft -= gliding;
    mixSteady<V>(m, in + gliding * kLanes, out + gliding * kLanes, frames - gliding);
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
    using O = Ops<V>;
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        V peak = O::load(levels.peak.data() + lane);
        V sum = O::load(levels.sumSquares.data() + lane);
        for (int n = 0; n < frames; ++n) {
            const V x = O::load(in + n * kLanes + lane);
            peak = O::max(peak, O::abs(x));
            sum = O::fma(x, x, sum);
        }
        O::store(levels.peak.data() + lane, peak);
        O::store(levels.sumSquares.data() + lane, sum);
    }
}

template <class V> constexpr Kernels makeKernels(const char* name) {
    return {name, &filterGroup<V>, &mixGroup<V>, &shiftGroup<V>, &levelsGroup<V>};
}

} // namespace
} // namespace cask::dsp
