// Half-bands over planes. Included by kernels_impl.h, once Ops is known.
#pragma once

#include "core/dsp/half_band.h"

namespace cask::dsp {
namespace {

/// Registers side by side, or where there are wide ones sums in two parts, hide how long a product takes. A
/// set never has more or fewer, so that a sum has the same bits whatever lies beside it.
template <class V> constexpr bool hasWide = Ops<typename WidestOf<V>::type>::kWidth == 16;

/// One step of the sums of outputs that follow each other: tap t + u of output i meets what tap t + u - 1 of
/// the next one meets. `kFirst`, `kLast`: taps before the first one and behind the last one are left out.
template <class R, int kBeside, int kSumParts, bool kFirst, bool kLast>
[[gnu::always_inline]] inline void sumStep(const float* taps, const int* from, const float* in,
                                           R (&tap)[HalfBand::kAtOnce],
                                           R (&part)[kSumParts][HalfBand::kAtOnce][kBeside]) noexcept {
    using O = Ops<R>;
    constexpr int kAtOnce = HalfBand::kAtOnce;
    for (int u = 0; u < (kLast ? kAtOnce - 1 : kAtOnce); ++u) {
        if constexpr (!kLast)
            tap[u] = R(taps[u]);
        for (int r = 0; r < kBeside; ++r) {
            const R x = O::load(in + from[u] + r * O::kWidth);
            for (int i = kLast ? u + 1 : 0; i < (kFirst ? u + 1 : kAtOnce); ++i) {
                R& sum = part[u % kSumParts][i][r];
                sum = O::fma(tap[(u - i + kAtOnce) % kAtOnce], x, sum);
            }
        }
    }
}

/// kBeside registers of columns of all outputs. `kIsUp`: what meets the middle tap becomes a plane of its
/// own, else half of it is added.
template <class R, int kBeside, int kSumParts, bool kIsUp>
[[gnu::always_inline]] inline void filterColumns(const HalfBand& band, const float* in, float* to,
                                                 int stride) noexcept {
    using O = Ops<R>;
    constexpr int kAtOnce = HalfBand::kAtOnce;
    const int* const middle = band.middle.data();
    const float* const taps = band.taps.data();
    const auto count = static_cast<int>(band.taps.size()) - kAtOnce;
    for (int output = 0; output < band.outputs; output += kAtOnce) {
        R part[kSumParts][kAtOnce][kBeside];
        for (auto& some : part)
            for (auto& one : some)
                for (R& sum : one)
                    sum = R(0.0F);
        R tap[kAtOnce];
        const int* const from = band.from.data() + output;
        sumStep<R, kBeside, kSumParts, true, false>(taps, from, in, tap, part);
        for (int t = kAtOnce; t < count; t += kAtOnce)
            sumStep<R, kBeside, kSumParts, false, false>(taps + t, from + t, in, tap, part);
        sumStep<R, kBeside, kSumParts, false, true>(taps + count, from + count, in, tap, part);
        for (int i = 0; i < kAtOnce; ++i, to += kIsUp ? 2 * stride : stride)
            for (int r = 0; r < kBeside; ++r) {
                R sum = part[0][i][r];
                if constexpr (kSumParts == 2)
                    sum = sum + part[1][i][r];
                const R passed = O::load(in + middle[output + i] + r * O::kWidth);
                if constexpr (kIsUp) {
                    O::store(to + r * O::kWidth, sum);
                    O::store(to + stride + r * O::kWidth, passed);
                } else {
                    O::store(to + r * O::kWidth, O::fma(R(0.5F), passed, sum));
                }
            }
    }
}

template <class V, bool kIsUp>
void filterPlanes(const HalfBand& band, const float* in, float* out, int stride, int columns) noexcept {
    int c = 0;
    if constexpr (hasWide<V>) {
        using R = typename WidestOf<V>::type;
        for (; c + kPlaneStep < columns; c += Ops<R>::kWidth)
            filterColumns<R, 1, 2, kIsUp>(band, in + c, out + c, stride);
        if (c < columns)
            filterColumns<V, 1, 2, kIsUp>(band, in + c, out + c, stride);
    } else {
        for (; c < columns; c += 2 * Ops<V>::kWidth)
            filterColumns<V, 2, 1, kIsUp>(band, in + c, out + c, stride);
    }
}

template <class V>
void planesUp(const HalfBand& band, const float* in, float* out, int stride, int columns) noexcept {
    filterPlanes<V, true>(band, in, out, stride, columns);
}

template <class V>
void planesDown(const HalfBand& band, const float* in, float* out, int stride, int columns) noexcept {
    filterPlanes<V, false>(band, in, out, stride, columns);
}

template <class V>
void movePlanes(const float* from, int fromStride, float* to, int toStride, int planes,
                int columns) noexcept {
    using O = Ops<V>;
    for (int c = 0; c < columns; c += kPlaneStep) {
        const float* a = from + c;
        float* b = to + c;
        for (int p = 0; p < planes; ++p, a += fromStride, b += toStride)
            for (int i = 0; i < kPlaneStep; i += O::kWidth)
                O::store(b + i, O::load(a + i));
    }
}

/// Quads of lanes to quads of columns: planes[l][p * kColumns + m] = in[kPlanes m + p] of lane l.
template <class V> void lanesToPlanes(const float* in, float* const* planes, int frames) noexcept {
    using Quad = typename Ops<V>::Quad;
    using O = Ops<Quad>;
    constexpr int kWidth = O::kWidth;
    const int columns = frames / kPlanes;
    for (int lane = 0; lane < kLanes; lane += kWidth)
        for (int p = 0; p < kPlanes; ++p) {
            int m = 0;
            for (; m + kWidth <= columns; m += kWidth) {
                Quad rows[kWidth];
                for (int i = 0; i < kWidth; ++i)
                    rows[i] = O::load(in + ((m + i) * kPlanes + p) * kLanes + lane);
                O::transpose(rows);
                for (int i = 0; i < kWidth; ++i)
                    O::store(planes[lane + i] + p * kColumns + m, rows[i]);
            }
            for (; m * kPlanes + p < frames; ++m)
                for (int i = 0; i < kWidth; ++i)
                    planes[lane + i][p * kColumns + m] = in[(m * kPlanes + p) * kLanes + lane + i];
        }
}

template <class V> void planesToLanes(const float* const* planes, float* out, int frames) noexcept {
    using Quad = typename Ops<V>::Quad;
    using O = Ops<Quad>;
    constexpr int kWidth = O::kWidth;
    const int columns = frames / kPlanes;
    for (int lane = 0; lane < kLanes; lane += kWidth)
        for (int p = 0; p < kPlanes; ++p) {
            int m = 0;
            for (; m + kWidth <= columns; m += kWidth) {
                Quad rows[kWidth];
                for (int i = 0; i < kWidth; ++i)
                    rows[i] = O::load(planes[lane + i] + p * kColumns + m);
                O::transpose(rows);
                for (int i = 0; i < kWidth; ++i)
                    O::store(out + ((m + i) * kPlanes + p) * kLanes + lane, rows[i]);
            }
            for (; m * kPlanes + p < frames; ++m)
                for (int i = 0; i < kWidth; ++i)
                    out[(m * kPlanes + p) * kLanes + lane + i] = planes[lane + i][p * kColumns + m];
        }
}

} // namespace
} // namespace cask::dsp
