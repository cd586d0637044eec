// The curves of a saturation over a lane type. Included by kernels_impl.h, once Ops is known.
#pragma once

#include "core/dsp/shape_bank.h"

namespace cask::dsp {
namespace {

/// How far over the corner both ends are, on the way from one to the other: the mean of what is cut off.
template <class V> V meanOver(V from, V to, V back) noexcept {
    using O = Ops<V>;
    const V a = O::max(from, V(0.0F));
    const V b = O::max(to, V(0.0F));
    // Far over the corner the difference would round.
    const V share = O::select(O::less(V(0.0F), O::min(a, b)), V(1.0F), (b - a) * back);
    return V(0.5F) * share * (b + a);
}

/// Mean of the hard curve between two samples. As ramps over both corners: no difference of large numbers.
template <class V> V meanOfHard(V from, V to) noexcept {
    using O = Ops<V>;
    const V way = to - from;
    const auto isStill = O::less(O::abs(way), V(1e-7F));
    // Of what stands still, half of each end as it is.
    const V back = V(1.0F) / O::select(isStill, V(1.0F), way);
    const V mean = V(0.5F) * (from + to) - meanOver<V>(from - V(1.0F), to - V(1.0F), back) +
                   meanOver<V>(V(-1.0F) - from, V(-1.0F) - to, V(0.0F) - back);
    return O::select(isStill, O::min(O::max(to, V(-1.0F)), V(1.0F)), mean);
}

template <class V> void curveGroup(ShapeBank& b, float* io, int frames) noexcept {
    using O = Ops<V>;
    constexpr float kOuter = -0.125F; // cos^2(w / 2) (1 + 2 c w^2) is flat at 0 for c = 1/8
    constexpr float kInner = 0.625F;
    const auto has = [&](Shape shape) { return b.hasShape[static_cast<std::size_t>(shape)]; };
    const bool hasTanh = has(Shape::Soft) || has(Shape::Warm);
    const bool hasHard = has(Shape::Hard);
    const bool hasFold = has(Shape::Fold);
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        const auto at = [lane](LaneFloats& values) { return values.data() + lane; };
        const V drive = O::load(at(b.drive));
        const V bias = O::load(at(b.bias));
        const V offset = O::load(at(b.offset));
        const V back = O::load(at(b.back));
        const auto isHard = O::less(V(0.5F), O::load(at(b.isShape[static_cast<std::size_t>(Shape::Hard)])));
        const auto isFold = O::less(V(0.5F), O::load(at(b.isShape[static_cast<std::size_t>(Shape::Fold)])));
        V u1 = O::load(at(b.u1));
        V u2 = O::load(at(b.u2));
        V mean1 = O::load(at(b.mean1));
        V mean2 = O::load(at(b.mean2));
        V mean3 = O::load(at(b.mean3));
        for (int n = 0; n < frames; ++n) {
            float* const place = io + n * kLanes + lane;
            const V u = O::fma(drive, O::load(place), bias);
            V y = hasTanh ? O::tanh(u2) : V(0.0F);
            if (hasFold)
                y = O::select(isFold, O::sin(u2), y);
            if (hasHard) {
                const V mean = meanOfHard<V>(u1, u);
                y = O::select(isHard, O::fma(V(kInner), mean1 + mean2, V(kOuter) * (mean + mean3)), y);
                mean3 = mean2;
                mean2 = mean1;
                mean1 = mean;
            }
            O::store(place, back * (y - offset));
            u2 = u1;
            u1 = u;
        }
        O::store(at(b.u1), u1);
        O::store(at(b.u2), u2);
        O::store(at(b.mean1), mean1);
        O::store(at(b.mean2), mean2);
        O::store(at(b.mean3), mean3);
    }
}

} // namespace
} // namespace cask::dsp
