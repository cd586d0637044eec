// Filter sections in cascade over a lane type, with coefficients that stand still; part of kernels_impl.h.
#pragma once

#include "core/dsp/kernels.h"
#include "core/dsp/lane.h"
#include "core/dsp/section_step.h"

#include <algorithm>

namespace cask::dsp {
namespace {

/// S sections of the lanes from `lane` on, their numbers and states in registers: read through the sections,
/// their addresses would take the registers that the states need.
template <class V, int S> struct Cascade {
    V c1[S], c2[S], c3[S], d[S], e1[S], e2[S];
    SectionState<V> state[S];

    Cascade(const SectionLanes* sections, int lane) noexcept {
        using O = Ops<V>;
        for (int s = 0; s < S; ++s) {
            const SectionLanes& p = sections[s];
            c1[s] = O::load(p.c1.data() + lane);
            c2[s] = O::load(p.c2.data() + lane);
            c3[s] = O::load(p.c3.data() + lane);
            d[s] = O::load(p.d.data() + lane);
            e1[s] = O::load(p.e1.data() + lane);
            e2[s] = O::load(p.e2.data() + lane);
            state[s] = {O::load(p.s1.data() + lane), O::load(p.s2.data() + lane)};
        }
    }
    /// The output is taken from the state before its step, so that a section adds one operation to the way
    /// through the cascade.
    V step(V x) noexcept {
        using O = Ops<V>;
        for (int s = 0; s < S; ++s) {
            const V held = O::fma(e1[s], state[s].s1, e2[s] * state[s].s2);
            const V out = O::fma(d[s], x, held);
            advance<V>(x, c1[s], c2[s], c3[s], state[s]);
            x = out;
        }
        return x;
    }
    void keep(SectionLanes* sections, int lane) const noexcept {
        for (int s = 0; s < S; ++s) {
            Ops<V>::store(sections[s].s1.data() + lane, state[s].s1);
            Ops<V>::store(sections[s].s2.data() + lane, state[s].s2);
        }
    }
};

/// S sections over all frames.
template <class V, int S>
void filterSteady(SectionLanes* sections, int lane, float* io, int frames) noexcept {
    using O = Ops<V>;
    Cascade<V, S> cascade(sections, lane);
    for (int n = 0; n < frames; ++n) {
        float* frame = io + n * kLanes + lane;
        O::store(frame, cascade.step(O::load(frame)));
    }
    cascade.keep(sections, lane);
}

/// Levels of one register of lanes, frame by frame; independent sums hide the latency of an addition.
template <class V> struct RunLevels {
    static constexpr int kAtOnce = 4;
    V peak[kAtOnce], sum[kAtOnce];

    RunLevels() noexcept {
        for (int i = 0; i < kAtOnce; ++i)
            peak[i] = sum[i] = V(0.0F);
    }
    /// Takes frames one after the other from `next(n)`.
    template <class Next> void take(int frames, const Next& next) noexcept {
        int n = 0;
        for (; n + kAtOnce <= frames; n += kAtOnce)
            for (int i = 0; i < kAtOnce; ++i)
                add(i, next(n + i));
        for (; n < frames; ++n)
            add(0, next(n));
    }
    void store(LaneLevels& levels, int lane) const noexcept {
        using O = Ops<V>;
        O::store(levels.peak.data() + lane, O::max(O::max(peak[0], peak[1]), O::max(peak[2], peak[3])));
        O::store(levels.sumSquares.data() + lane, (sum[0] + sum[1]) + (sum[2] + sum[3]));
    }

  private:
    void add(int i, V x) noexcept {
        using O = Ops<V>;
        peak[i] = O::max(peak[i], O::abs(x));
        sum[i] = O::fma(x, x, sum[i]);
    }
};

template <class V>
void levelsOfBands(SectionBank& bank, const float* mono, std::span<const int> runs,
                   LaneLevels* levels) noexcept {
    for (int lane = 0; lane < kLanes; lane += Ops<V>::kWidth) {
        Cascade<V, kBandSections> cascade(bank.sections.data(), lane);
        const float* from = mono;
        for (std::size_t r = 0; r < runs.size(); ++r) {
            RunLevels<V> run;
            run.take(runs[r], [&](int n) { return cascade.step(V(from[n])); });
            run.store(levels[r], lane);
            from += runs[r];
        }
        cascade.keep(bank.sections.data(), lane);
    }
}

/// Whether a register holds all lanes of two sections.
template <class V> constexpr bool hasDouble() {
    return requires {
        typename Ops<V>::Double;
    };
}

/// 2 P sections, two in each register: each is a frame behind the one before it, so that all work at once.
/// The same operations on the same numbers as one section after the other.
template <class V, int P> void filterPairs(SectionLanes* sections, float* io, int frames) noexcept {
    using O = Ops<V>;
    using D = typename O::Double;
    using OD = Ops<D>;
    D c1[P], c2[P], c3[P], d[P], e1[P], e2[P], last[P];
    SectionState<D> state[P];
    const auto both = [&](int pair, LaneFloats SectionLanes::*values) {
        return O::twice(O::load((sections[2 * pair].*values).data()),
                        O::load((sections[2 * pair + 1].*values).data()));
    };
    for (int j = 0; j < P; ++j) {
        c1[j] = both(j, &SectionLanes::c1);
        c2[j] = both(j, &SectionLanes::c2);
        c3[j] = both(j, &SectionLanes::c3);
        d[j] = both(j, &SectionLanes::d);
        e1[j] = both(j, &SectionLanes::e1);
        e2[j] = both(j, &SectionLanes::e2);
        state[j] = {both(j, &SectionLanes::s1), both(j, &SectionLanes::s2)};
        last[j] = D(0.0F);
    }
    const auto step = [&](V x, const auto& keep) {
        D in[P];
        in[0] = O::twice(x, O::low(last[0]));
        for (int j = 1; j < P; ++j)
            in[j] = O::following(last[j - 1], last[j]);
        for (int j = 0; j < P; ++j) {
            last[j] = OD::fma(d[j], in[j], OD::fma(e1[j], state[j].s1, e2[j] * state[j].s2));
            const SectionState<D> before = state[j];
            advance<D>(in[j], c1[j], c2[j], c3[j], state[j]);
            keep(j, before);
        }
    };
    // At the beginning and the end some sections have no frame yet, or none any more.
    constexpr int kBehind = 2 * P - 1;
    const auto partly = [&](int n) {
        const auto has = [&](int section) { return n >= section && n - section < frames; };
        step(n < frames ? O::load(io + n * kLanes) : V(0.0F), [&](int j, const SectionState<D>& before) {
            state[j].s1 = O::choose(has(2 * j), has(2 * j + 1), state[j].s1, before.s1);
            state[j].s2 = O::choose(has(2 * j), has(2 * j + 1), state[j].s2, before.s2);
        });
        if (n >= kBehind)
            O::store(io + (n - kBehind) * kLanes, O::high(last[P - 1]));
    };
    int n = 0;
    for (; n < std::min(kBehind, frames); ++n)
        partly(n);
    for (; n < frames; ++n) {
        step(O::load(io + n * kLanes), [](int, const SectionState<D>&) {});
        O::store(io + (n - kBehind) * kLanes, O::high(last[P - 1]));
    }
    for (; n < frames + kBehind; ++n)
        partly(n);
    for (int j = 0; j < P; ++j) {
        O::store(sections[2 * j].s1.data(), O::low(state[j].s1));
        O::store(sections[2 * j + 1].s1.data(), O::high(state[j].s1));
        O::store(sections[2 * j].s2.data(), O::low(state[j].s2));
        O::store(sections[2 * j + 1].s2.data(), O::high(state[j].s2));
    }
}

/// As many sections as work best at once; returns how many.
template <class V> int filterSome(SectionLanes* sections, int left, float* io, int frames) noexcept {
    if constexpr (hasDouble<V>()) {
        constexpr int kWorthIt = 32; // frames: fewer are gone before all of them work
        if (frames >= kWorthIt && left >= 4) {
            (left >= 6 ? filterPairs<V, 3> : filterPairs<V, 2>)(sections, io, frames);
            return left >= 6 ? 6 : 4;
        }
    }
    const int now = std::min(left, 4);
    const auto run = now == 4   ? filterSteady<V, 4>
                     : now == 3 ? filterSteady<V, 3>
                     : now == 2 ? filterSteady<V, 2>
                                : filterSteady<V, 1>;
    for (int lane = 0; lane < kLanes; lane += Ops<V>::kWidth)
        run(sections, lane, io, frames);
    return now;
}

} // namespace
} // namespace cask::dsp
