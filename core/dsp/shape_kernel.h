// Curves over planes and lanes. Included by kernels_impl.h, once Ops is known.
#pragma once

#include "core/dsp/half_band_kernel.h"
#include "core/dsp/shape.h"

namespace cask::dsp {
namespace {

/// Within 1.5e-7 of the value, and 1 at its end: a quotient of polynomials in a^2 with a slope of 1 at 0
/// (least greatest error up to 8, by Lawson's weights).
template <class V> [[gnu::always_inline]] inline V tanhOf(const V& a) noexcept {
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
    return x * above * O::reciprocal(below);
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

/// The values of a curve's place for a register of columns of plane q at the high rate.
template <class R, bool kIsMoving> class PlaceReader {
  public:
    PlaceReader(const CurvePlanes& curve, int factor) : m_moving(curve.moving), m_factor(factor) {
        for (std::size_t i = 0; i < CurvePlace::kAll.size(); ++i)
            m_still[i] = R(curve.place.*CurvePlace::kAll[i]);
    }
    R drive(int q, int c) const noexcept { return get(0, q, c); }
    R bias(int q, int c) const noexcept { return get(1, q, c); }
    R offset(int q, int c) const noexcept { return get(2, q, c); }
    R back(int q, int c) const noexcept { return get(3, q, c); }
    R kneeHalf(int q, int c) const noexcept { return get(4, q, c); }

  private:
    R get(std::size_t i, int q, int c) const noexcept {
        if constexpr (kIsMoving)
            return Ops<R>::load(m_moving + i * kPlaneFrames +
                                static_cast<std::ptrdiff_t>(q / m_factor) * kColumns + c);
        else
            return m_still[i];
    }
    const float* m_moving;
    int m_factor;
    R m_still[CurvePlace::kAll.size()];
};

/// A curve without corners, bend(u), in columns from `c` on. `kHasOffset`: it is not 0 at rest.
template <class R, bool kIsMoving, bool kHasOffset, class Bend>
int bendPlanes(const CurvePlanes& curve, float* io, int factor, int c, int columns,
               const Bend& bend) noexcept {
    using O = Ops<R>;
    const PlaceReader<R, kIsMoving> place(curve, factor);
    const int planes = kPlanes * factor;
    for (; c < columns; c += O::kWidth)
        for (int q = 0; q < planes; ++q) {
            float* const at = io + q * kPlaneStride + c;
            const R sound = O::load(at);
            R bent = bend(O::fma(place.drive(q, c), sound, place.bias(q, c)));
            if constexpr (kHasOffset)
                bent = bent - place.offset(q, c);
            O::store(at, O::fms(place.back(q, c), bent, sound));
        }
    return c;
}

/// In wide registers, but for a last one that need not be.
template <class V, bool kIsMoving, bool kHasOffset, class Bend>
void bendColumns(const CurvePlanes& curve, float* io, int factor, int columns, const Bend& bend) noexcept {
    using R = typename WidestOf<V>::type;
    int c = 0;
    if constexpr (hasWide<V>) {
        using Run = typename RunOf<V>::type;
        c = bendPlanes<Run, kIsMoving, kHasOffset>(curve, io, factor, c, columns - Ops<Run>::kWidth + 1,
                                                   bend);
        c = bendPlanes<R, kIsMoving, kHasOffset>(curve, io, factor, c, columns - kPlaneStep, bend);
    }
    bendPlanes<V, kIsMoving, kHasOffset>(curve, io, factor, c, columns, bend);
}

/// A curve with corners: taken(from, to, h) is the mean of what it takes off between two samples.
template <class R, bool kIsMoving, class Taken>
void cutPlanes(CurvePlanes& curve, float* io, int factor, int frames, const Taken& taken) noexcept {
    using O = Ops<R>;
    constexpr float kOuter = -0.125F; // cos^2(w / 2) (1 + 2 c w^2) is flat at 0 for c = 1/8
    constexpr float kInner = 0.625F;
    constexpr int kStride = CurvePlanes::kBefore + kColumns;
    const PlaceReader<R, kIsMoving> place(curve, factor);
    const int planes = kPlanes * factor;
    const int columns = (frames + kPlanes - 1) / kPlanes;
    float* const at = curve.scratch + CurvePlanes::kBefore;
    float* const means = at + planes * kStride;
    // What lies before the first plane is the last one, a column earlier.
    const auto plane = [planes](float* first, int q) {
        return q >= 0 ? first + q * kStride : first + (planes + q) * kStride - 1;
    };
    *plane(at, -1) = curve.lastAt;
    for (int i = 0; i < 3; ++i)
        *plane(means, -1 - i) = curve.means[static_cast<std::size_t>(i)];
    for (int q = 0; q < planes; ++q)
        for (int c = 0; c < columns; c += O::kWidth)
            O::store(plane(at, q) + c,
                     O::fma(place.drive(q, c), O::load(io + q * kPlaneStride + c), place.bias(q, c)));
    for (int q = 0; q < planes; ++q)
        for (int c = 0; c < columns; c += O::kWidth)
            O::store(plane(means, q) + c,
                     taken(O::load(plane(at, q - 1) + c), O::load(plane(at, q) + c), place.kneeHalf(q, c)));
    for (int q = 0; q < planes; ++q)
        for (int c = 0; c < columns; c += O::kWidth) {
            const R inner = O::load(plane(means, q - 1) + c) + O::load(plane(means, q - 2) + c);
            const R outer = O::load(plane(means, q) + c) + O::load(plane(means, q - 3) + c);
            O::store(io + q * kPlaneStride + c,
                     place.back(q, c) * O::fma(R(kInner), inner, R(kOuter) * outer));
        }
    const auto last = [&](float* first, int ago) {
        const int frame = frames * factor - 1 - ago;
        return frame < 0 ? *plane(first, frame) : first[frame % planes * kStride + frame / planes];
    };
    curve.lastAt = last(at, 0);
    curve.means = {last(means, 0), last(means, 1), last(means, 2)};
}

template <class V, bool kIsMoving>
void curveSome(CurvePlanes& curve, float* io, int factor, int frames) noexcept {
    using R = typename WidestOf<V>::type;
    const int columns = (frames + kPlanes - 1) / kPlanes;
    const auto bendAll = [&](const auto& bend) {
        if constexpr (!kIsMoving)
            if (curve.place.offset == 0)
                return bendColumns<V, false, false>(curve, io, factor, columns, bend);
        bendColumns<V, kIsMoving, true>(curve, io, factor, columns, bend);
    };
    switch (curve.shape) {
    case Shape::Fold:
        bendAll([]<class U>(const U& u) { return Ops<U>::sin(u); });
        break;
    case Shape::Hard:
        cutPlanes<R, kIsMoving>(curve, io, factor, frames, [](R from, R to, R) {
            return meanTakenOff<R>(from, to, [](R a, R b, R back) { return meanOver<R>(a, b, back); });
        });
        break;
    case Shape::Knee:
        cutPlanes<R, kIsMoving>(curve, io, factor, frames, [](R from, R to, R half) {
            return meanTakenOff<R>(from, to,
                                   [half](R a, R b, R back) { return meanOverKnee<R>(a, b, back, half); });
        });
        break;
    default:
        bendAll([]<class U>(const U& u) __attribute__((always_inline)) { return tanhOf<U>(u); });
    }
}

template <class V> void curvePlanes(CurvePlanes& curve, float* io, int factor, int frames) noexcept {
    if (curve.moving != nullptr)
        curveSome<V, true>(curve, io, factor, frames);
    else
        curveSome<V, false>(curve, io, factor, frames);
}

/// io becomes what tape changes of it.
template <class V> void tapeGroup(TapeBank& b, float* io, int frames) noexcept {
    using O = Ops<V>;
    const V memory(static_cast<float>(TapeBank::kMemory));
    const V follow(b.follow);
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        const V drive = O::load(b.drive.data() + lane);
        const V bias = O::load(b.bias.data() + lane);
        const V offset = O::load(b.offset.data() + lane);
        const V back = O::load(b.back.data() + lane);
        V kept = O::load(b.kept.data() + lane);
        V keptStep = O::load(b.keptStep.data() + lane);
        V bent1 = O::load(b.bent1.data() + lane);
        for (int n = lane; n < frames * kLanes; n += kLanes) {
            const V x = O::load(io + n);
            const V moved = memory * (kept + keptStep);
            const V bent = tanhOf<V>(O::fma(drive, x, bias) + moved);
            keptStep = follow * (V(0.5F) * (bent + bent1) - kept);
            kept = kept + keptStep;
            bent1 = bent;
            O::store(io + n, O::fms(back, bent - moved - offset, x));
        }
        O::store(b.kept.data() + lane, kept);
        O::store(b.keptStep.data() + lane, keptStep);
        O::store(b.bent1.data() + lane, bent1);
    }
}

} // namespace
} // namespace cask::dsp
