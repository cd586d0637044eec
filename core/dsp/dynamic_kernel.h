// Dynamic bands over a lane type. Included by kernels_impl.h, once Ops and the filter's step are known.
#pragma once

#include "core/dsp/dynamic_bank.h"
#include "core/dsp/pair_part.h"
#include "core/dsp/section_step.h"
#include "core/dsp/window_max_kernel.h"

namespace cask::dsp {
namespace {

/// Squares of the levels of the bands, but for a shelf's time.
template <class V, bool HasParts, bool HasBells>
void bandSquares(DynamicBank& b, const float* heard, int frames) noexcept {
    using O = Ops<V>;
    const V half(0.5F);
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        const V c1 = at<V>(b.c1, lane);
        const V c2 = at<V>(b.c2, lane);
        const V c3 = at<V>(b.c3, lane);
        const V fromX = at<V>(b.fromX, lane);
        const V fromBand = half * at<V>(b.fromBand, lane);
        const V fromLow = half * at<V>(b.fromLow, lane);
        const V power = V(0.25F) * at<V>(b.power, lane);
        const auto isBell = O::less(half, at<V>(b.isBell, lane));
        SectionState<V> first{at<V>(b.first1, lane), at<V>(b.first2, lane)};
        SectionState<V> second{at<V>(b.second1, lane), at<V>(b.second2, lane)};
        for (int n = 0; n < frames; ++n) {
            const V x = partOf<V, HasParts>(b, heard + n * kLanes, lane);
            const SectionState<V> before = first;
            advance<V>(x, c1, c2, c3, first);
            const V u =
                O::fma(fromBand, before.s1 + first.s1, O::fma(fromLow, before.s2 + first.s2, fromX * x));
            V square = u * u;
            if constexpr (HasBells) {
                const SectionState<V> last = second;
                advance<V>(u, c1, c2, c3, second);
                const V band = last.s1 + second.s1;
                const V low = last.s2 + second.s2;
                square = O::select(isBell, power * O::fma(band, band, low * low), square);
            }
            O::store(b.goals.data() + n * kLanes + lane, square);
        }
        O::store(b.first1.data() + lane, first.s1);
        O::store(b.first2.data() + lane, first.s2);
        O::store(b.second1.data() + lane, second.s1);
        O::store(b.second2.data() + lane, second.s2);
    }
}

template <class V> void holdShelves(DynamicBank& b, int frames) noexcept {
    using O = Ops<V>;
    inCells<V>(b.window, frames, [&](int from, int count) {
        for (int lane = 0; lane < kLanes; lane += O::kWidth) {
            V cell = at<V>(b.window.cell, lane);
            const V earlier = at<V>(b.window.earlier, lane);
            const auto isBell = O::less(V(0.5F), at<V>(b.isBell, lane));
            for (int n = from; n < from + count; ++n) {
                float* square = b.goals.data() + n * kLanes + lane;
                const V now = O::load(square);
                cell = O::max(cell, now);
                O::store(square, O::select(isBell, now, O::max(cell, earlier)));
            }
            O::store(b.window.cell.data() + lane, cell);
        }
    });
}

/// Squares become goals in place. Whether any is not rest.
template <class V> bool findGoals(DynamicBank& b, int frames) noexcept {
    using O = Ops<V>;
    const V silence(1e-30F); // log2 wants a normal number
    V most(0.0F);
    for (int n = 0; b.hasPairs && n < frames; ++n) {
        float* squares = b.goals.data() + n * kLanes;
        LaneFloats linked;
        for (int lane = 0; lane < kLanes; lane += O::kWidth)
            O::store(linked.data() + lane,
                     O::max(O::load(squares + lane), at<V>(b.link, lane) * O::partner(squares, lane)));
        for (int lane = 0; lane < kLanes; lane += O::kWidth)
            O::store(squares + lane, at<V>(linked, lane));
    }
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        const V scale = at<V>(b.scale, lane);
        const V shift = at<V>(b.shift, lane);
        for (int n = 0; n < frames; ++n) {
            float* goal = b.goals.data() + n * kLanes + lane;
            const V way = O::fma(scale, O::log2(O::max(O::load(goal), silence)), shift);
            const V clamped = O::min(O::max(way, V(0.0F)), V(1.0F));
            most = O::max(most, clamped);
            O::store(goal, clamped);
        }
    }
    return O::any(O::less(V(0.0F), most));
}

template <class V> struct Section { V g, k, n0, m1, m2; };

/// The section between the two steps that a place lies between.
template <class V> inline Section<V> sectionAt(const DynamicBank& b, int lane, V moved) noexcept {
    using O = Ops<V>;
    using Quad = typename O::Quad;
    using Q = Ops<Quad>;
    LaneFloats place;
    O::store(place.data(), moved * at<V>(b.lastStep, lane));
    const auto between = [&](int i) {
        const auto l = static_cast<std::size_t>(lane + i);
        const int last = static_cast<int>(b.lastStep.v[l]);
        const int whole = static_cast<int>(place[i]);
        const int step = whole < last ? whole : last - 1;
        return std::pair(&b.steps[l][step].g, place[i] - static_cast<float>(step));
    };
    if constexpr (O::kWidth == 1) {
        const auto [from, share] = between(0);
        const auto value = [&, from = from, share = share](int i) {
            return from[i] + share * (from[i + 8] - from[i]);
        };
        return {value(0), value(1), value(2), value(3), value(4)};
    } else {
        std::array<LaneFloats, 8> values;
        for (int group = 0; group < O::kWidth; group += 4) {
            Quad head[4];
            Quad tail[4];
            for (int i = 0; i < 4; ++i) {
                const auto [from, share] = between(group + i);
                const Quad a = Q::load(from);
                head[i] = Q::fma(Quad(share), Q::load(from + 8) - a, a);
                const Quad c = Q::load(from + 4);
                tail[i] = Q::fma(Quad(share), Q::load(from + 12) - c, c);
            }
            Q::transpose(head);
            Q::transpose(tail);
            for (std::size_t i = 0; i < 4; ++i)
                Q::store(values[i].data() + group, head[i]);
            Q::store(values[4].data() + group, tail[0]);
        }
        return {O::load(values[0].data()), O::load(values[1].data()), O::load(values[2].data()),
                O::load(values[3].data()), O::load(values[4].data())};
    }
}

/// What is still left of the section before a change.
template <class V> inline void blendOld(const DynamicBank& b, int lane, V& left, Section<V>& s) noexcept {
    using O = Ops<V>;
    const V t = left * at<V>(b.glideShare, lane);
    const V share = smoothstep(t);
    // While the gain moves in the blend, the sum might leave the stable filters between the two.
    const V half(0.5F);
    const auto floorOf = [&](V least, V goal) {
        return O::select(O::less(V(0.0F), left), half * O::min(least, goal), V(0.0F));
    };
    const V leastG = floorOf(at<V>(b.leastG, lane), s.g);
    const V leastK = floorOf(at<V>(b.leastK, lane), s.k);
    s.g = O::max(O::fma(share, at<V>(b.gapG, lane), s.g), leastG);
    s.k = O::max(O::fma(share, at<V>(b.gapK, lane), s.k), leastK);
    s.n0 = O::fma(share, at<V>(b.gapN0, lane), s.n0);
    s.m1 = O::fma(share, at<V>(b.gapM1, lane), s.m1);
    s.m2 = O::fma(share, at<V>(b.gapM2, lane), s.m2);
    left = O::max(left - V(1.0F), V(0.0F));
}

/// Onto the sound. `IsStill`: nothing moves or glides.
template <class V, bool HasParts, bool IsStill, bool IsGliding>
void applyBands(DynamicBank& b, float* io, int frames) noexcept {
    using O = Ops<V>;
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        const V rise = at<V>(b.rise, lane);
        const V fall = at<V>(b.fall, lane);
        const V atRest = at<V>(b.atRest, lane);
        const V half(0.5F);
        V moved = at<V>(b.moved, lane);
        V rest = at<V>(b.movedRest, lane);
        V left = at<V>(b.glideLeft, lane);
        Section<V> now{};
        if constexpr (IsStill)
            now = sectionAt<V>(b, lane, moved);
        SectionState<V> state{at<V>(b.s1, lane), at<V>(b.s2, lane)};
        for (int n = 0; n < frames; ++n) {
            if constexpr (!IsStill) {
                const V goal = O::load(b.goals.data() + n * kLanes + lane);
                // A slow release adds less than single precision keeps: what is lost is added next time.
                const V gap = goal - moved;
                const V step = O::fma(O::select(O::less(moved, goal), rise, fall), gap, rest);
                const V next = moved + step;
                rest = step - (next - moved);
                const auto isThere = O::less(O::abs(goal - next), atRest);
                moved = O::select(isThere, goal, next);
                rest = O::select(isThere, V(0.0F), rest);
                now = sectionAt<V>(b, lane, moved);
                if constexpr (IsGliding)
                    blendOld<V>(b, lane, left, now);
            }
            const V damping = V(1.0F) / O::fma(now.g, now.g + now.k, V(1.0F));
            const V c2 = V(2.0F) * now.g * damping;
            float* frame = io + n * kLanes + lane;
            const V x = HasParts ? O::load(b.acted.data() + n * kLanes + lane) : O::load(frame);
            const SectionState<V> before = state;
            advance<V>(x, V(0.0F) - c2 * (now.g + now.k), c2, c2 * now.g, state);
            const V change = O::fma(half * now.m1, before.s1 + state.s1,
                                    O::fma(half * now.m2, before.s2 + state.s2, now.n0 * x));
            O::store(frame, O::load(frame) + change);
        }
        O::store(b.s1.data() + lane, state.s1);
        O::store(b.s2.data() + lane, state.s2);
        O::store(b.moved.data() + lane, moved);
        O::store(b.movedRest.data() + lane, rest);
        O::store(b.glideLeft.data() + lane, left);
    }
}

template <class V, bool HasParts>
void movePiece(DynamicBank& b, const float* heard, float* io, int frames) noexcept {
    using O = Ops<V>;
    if (b.hasBells)
        bandSquares<V, HasParts, true>(b, heard, frames);
    else
        bandSquares<V, HasParts, false>(b, heard, frames);
    if (b.hasShelves)
        holdShelves<V>(b, frames);
    bool isStill = !findGoals<V>(b, frames) && !b.isGliding;
    for (int lane = 0; isStill && lane < kLanes; ++lane)
        isStill = b.moved[lane] == 0;
    if constexpr (HasParts)
        for (int n = 0; n < frames; ++n)
            for (int lane = 0; lane < kLanes; lane += O::kWidth)
                O::store(b.acted.data() + n * kLanes + lane, partOf<V, true>(b, io + n * kLanes, lane));
    if (isStill)
        applyBands<V, HasParts, true, false>(b, io, frames);
    else if (b.isGliding)
        applyBands<V, HasParts, false, true>(b, io, frames);
    else
        applyBands<V, HasParts, false, false>(b, io, frames);
    if (b.isGliding) {
        b.isGliding = false;
        for (const float left : b.glideLeft.v)
            b.isGliding = b.isGliding || left > 0;
    }
}

template <class V> void moveBands(DynamicBank& b, const float* heard, float* io, int frames) noexcept {
    if (b.hasParts)
        movePiece<V, true>(b, heard, io, frames);
    else
        movePiece<V, false>(b, heard, io, frames);
}

} // namespace
} // namespace cask::dsp
