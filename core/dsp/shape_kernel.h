// Curves over a lane type. Included by kernels_impl.h, once Ops is known.
#pragma once

#include "core/dsp/half_band_kernel.h"
#include "core/dsp/shape_bank.h"

namespace cask::dsp {
namespace {

/// Within 1.5e-7 of the value, and 1 at its end: a quotient of polynomials in a^2 with a slope of 1 at 0
/// (least greatest error up to 8, by Lawson's weights).
template <class V> V tanhOf(V a) noexcept {
    using O = Ops<V>;
    const V x = O::min(O::max(a, V(-8.0F)), V(8.0F));
    const V z = x * x;
    V above = O::fma(V(1.14749953e-05F), z, V(0.00295579593F));
    above = O::fma(above, z, V(0.129303435F));
    above = O::fma(above, z, V(1.0F));
    V below = O::fma(V(2.47319659e-07F), z, V(0.000239313313F));
    below = O::fma(below, z, V(0.0238357363F));
    below = O::fma(below, z, V(0.462635977F));
    below = O::fma(below, z, V(1.0F));
    return x * above / below;
}

/// Of two samples and what lies between them over a corner at 0: the mean. `back`: 1 / (to - from).
template <class V> V meanOver(V from, V to, V back) noexcept {
    using O = Ops<V>;
    const V a = O::max(from, V(0.0F));
    const V b = O::max(to, V(0.0F));
    // Far over the corner the difference would round.
    const V share = O::select(O::less(V(0.0F), O::min(a, b)), V(1.0F), (b - a) * back);
    return V(0.5F) * share * (b + a);
}

/// The same where the corner is rounded by a parabola from -half to half: (u + half)^2 / (4 half) there.
template <class V> V meanOverKnee(V from, V to, V back, V half) noexcept {
    using O = Ops<V>;
    const V low = V(0.0F) - half;
    const V p = O::min(O::max(from, low), half);
    const V q = O::min(O::max(to, low), half);
    const V a = p + half;
    const V b = q + half;
    const auto isWithin = O::less(O::max(O::abs(from), O::abs(to)), half);
    const V kneeShare = O::select(isWithin, V(1.0F), (q - p) * back);
    const V knee = kneeShare * (a * a + a * b + b * b) / (V(12.0F) * half);
    const V r = O::max(from, half);
    const V s = O::max(to, half);
    const V overShare = O::select(O::less(half, O::min(from, to)), V(1.0F), (s - r) * back);
    return knee + V(0.5F) * overShare * (r + s);
}

/// What a hard curve takes off between two samples, its mean. As ramps over both corners: no difference of
/// large numbers.
template <class V, class Over> V meanTakenOff(V from, V to, const Over& over) noexcept {
    using O = Ops<V>;
    const V way = to - from;
    // Of what stands still the shares are 1, or there is nothing over the corner.
    const V back = V(1.0F) / O::select(O::less(O::abs(way), V(1e-7F)), V(1.0F), way);
    return over(V(-1.0F) - from, V(-1.0F) - to, V(0.0F) - back) - over(from - V(1.0F), to - V(1.0F), back);
}

/// The curves that are a tanh and keep nothing: registers of as many frames as fit, from the last one on,
/// because each is read two frames before it is written.
template <class V> void curveTanh(ShapeBank& b, float* io, int frames) noexcept {
    using R = typename FramesOf<V>::type;
    using O = Ops<V>;
    constexpr int kLate = ShapeBank::kLateFrames;
    LaneFloats first[kLate] = {b.x2, b.x1};
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        const auto at = [lane](const LaneFloats& values) { return O::load(values.data() + lane); };
        const V drive = at(b.drive);
        const V bias = at(b.bias);
        const V offset = at(b.offset);
        const V back = at(b.back);
        const auto changed = [&](V x) {
            return O::fma(back, tanhOf<V>(O::fma(drive, x, bias)) - offset, V(0.0F) - x);
        };
        for (int n = 0; n < kLate; ++n) { // what is still to come, from the end of this block
            const int from = frames - kLate + n;
            const V x = from < 0 ? at(first[kLate + from]) : O::load(io + from * kLanes + lane);
            O::store((n == 0 ? b.x2 : b.x1).data() + lane, x);
        }
        int n = frames - 1;
        if constexpr (Ops<R>::kWidth > kLanes) {
            using W = Ops<R>;
            const auto twice = [](V v) { return O::twice(v, v); };
            const R drives = twice(drive);
            const R biases = twice(bias);
            const R offsets = twice(offset);
            const R backs = twice(back);
            for (; n - 1 >= kLate; n -= 2) {
                const R x = W::load(io + (n - 1 - kLate) * kLanes);
                W::store(io + (n - 1) * kLanes,
                         W::fma(backs, tanhOf<R>(W::fma(drives, x, biases)) - offsets, R(0.0F) - x));
            }
        }
        for (; n >= kLate; --n)
            O::store(io + n * kLanes + lane, changed(O::load(io + (n - kLate) * kLanes + lane)));
        for (; n >= 0; --n)
            O::store(io + n * kLanes + lane, changed(at(first[n])));
    }
}

/// Every curve, lane by lane the one it has.
template <class V> void curveAny(ShapeBank& b, float* io, int frames) noexcept {
    using O = Ops<V>;
    constexpr float kOuter = -0.125F; // cos^2(w / 2) (1 + 2 c w^2) is flat at 0 for c = 1/8
    constexpr float kInner = 0.625F;
    const auto has = [&](Shape shape) { return b.hasShape[static_cast<std::size_t>(shape)]; };
    const bool hasTanh = has(Shape::Soft) || has(Shape::Warm) || has(Shape::Tape);
    const bool hasKnee = has(Shape::Knee);
    const bool hasCorners = has(Shape::Hard) || hasKnee;
    const bool hasFold = has(Shape::Fold);
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        const auto at = [lane](LaneFloats& values) { return values.data() + lane; };
        const auto isOf = [&](Shape shape) {
            return O::less(V(0.5F), O::load(at(b.isShape[static_cast<std::size_t>(shape)])));
        };
        const V drive = O::load(at(b.drive));
        const V bias = O::load(at(b.bias));
        const V offset = O::load(at(b.offset));
        const V back = O::load(at(b.back));
        const V half = O::load(at(b.kneeHalf));
        const V memory = O::load(at(b.memory));
        const V follow(b.follow);
        const auto isHard = isOf(Shape::Hard);
        const auto isKnee = isOf(Shape::Knee);
        const auto isFold = isOf(Shape::Fold);
        V x1 = O::load(at(b.x1));
        V x2 = O::load(at(b.x2));
        V u1 = O::load(at(b.u1));
        V mean1 = O::load(at(b.mean1));
        V mean2 = O::load(at(b.mean2));
        V mean3 = O::load(at(b.mean3));
        V kept = O::load(at(b.kept));
        V keptStep = O::load(at(b.keptStep));
        V bent1 = O::load(at(b.bent1));
        for (int n = 0; n < frames; ++n) {
            float* const place = io + n * kLanes + lane;
            const V x = O::load(place);
            const V u2 = O::fma(drive, x2, bias);
            V y(0.0F);
            if (hasTanh) {
                const V moved = memory * (kept + keptStep);
                const V bent = tanhOf<V>(u2 + moved);
                keptStep = follow * (V(0.5F) * (bent + bent1) - kept);
                kept = kept + keptStep;
                bent1 = bent;
                y = bent - moved;
            }
            if (hasFold)
                y = O::select(isFold, O::sin(u2), y);
            V changed = O::fma(back, y - offset, V(0.0F) - x2);
            if (hasCorners) {
                const V u = O::fma(drive, x, bias);
                V mean = meanTakenOff<V>(u1, u,
                                         [](V from, V to, V back1) { return meanOver<V>(from, to, back1); });
                if (hasKnee)
                    mean = O::select(isKnee,
                                     meanTakenOff<V>(u1, u,
                                                     [half](V from, V to, V back1) {
                                                         return meanOverKnee<V>(from, to, back1, half);
                                                     }),
                                     mean);
                const V takenOff = back * O::fma(V(kInner), mean1 + mean2, V(kOuter) * (mean + mean3));
                changed = O::select(isHard, takenOff, O::select(isKnee, takenOff, changed));
                mean3 = mean2;
                mean2 = mean1;
                mean1 = mean;
                u1 = u;
            }
            O::store(place, changed);
            x2 = x1;
            x1 = x;
        }
        O::store(at(b.x1), x1);
        O::store(at(b.x2), x2);
        O::store(at(b.u1), u1);
        O::store(at(b.mean1), mean1);
        O::store(at(b.mean2), mean2);
        O::store(at(b.mean3), mean3);
        O::store(at(b.kept), kept);
        O::store(at(b.keptStep), keptStep);
        O::store(at(b.bent1), bent1);
    }
}

template <class V> void curveGroup(ShapeBank& b, float* io, int frames) noexcept {
    const auto has = [&](Shape shape) { return b.hasShape[static_cast<std::size_t>(shape)]; };
    if (has(Shape::Tape) || has(Shape::Hard) || has(Shape::Fold) || has(Shape::Knee))
        curveAny<V>(b, io, frames);
    else
        curveTanh<V>(b, io, frames);
}

template <class V> void addShapedGroup(ShapedMix& m, const float* changed, float* io, int frames) noexcept {
    using O = Ops<V>;
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        const V mix = O::load(m.mix.data() + lane);
        const V output = O::load(m.output.data() + lane);
        const V blocks = O::load(m.blocks.data() + lane);
        const V share(m.share);
        V mean = O::load(m.mean.data() + lane);
        for (int n = lane; n < frames * kLanes; n += kLanes) {
            const V d = O::load(changed + n);
            const V x = O::load(io + n);
            mean = O::fma(share, x + d - mean, mean);
            O::store(io + n, output * O::fma(mix, d - blocks * mean, x));
        }
        O::store(m.mean.data() + lane, mean);
    }
}

} // namespace
} // namespace cask::dsp
