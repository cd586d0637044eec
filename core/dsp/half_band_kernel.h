// Half-bands over planes. Included by kernels_impl.h, once Ops is known.
#pragma once

#include "core/dsp/half_band.h"

#include <type_traits>
#include <utility>

namespace cask::dsp {
namespace {

/// Registers side by side, or where there are wide ones sums in two parts, hide how long a product takes. A
/// set never has more or fewer, so that a sum has the same bits whatever lies beside it.
template <class V> constexpr bool hasWide = Ops<typename WidestOf<V>::type>::kWidth == 16;

template <int... i, class Act>
[[gnu::always_inline]] inline void eachOf(std::integer_sequence<int, i...>, const Act& act) noexcept {
    (act(std::integral_constant<int, i>{}), ...);
}
/// act(0) to act(kCount - 1), numbers that are known when it is compiled: what they choose stays in
/// registers.
template <int kCount, class Act> [[gnu::always_inline]] inline void each(const Act& act) noexcept {
    eachOf(std::make_integer_sequence<int, kCount>{}, act);
}

/// One step of the sums of outputs that follow each other: tap t + u of output i meets what tap t + u - 1 of
/// the next one meets. `kFirst`, `kLast`: taps before the first one and behind the last one are left out.
template <class R, int kBeside, int kSumParts, bool kFirst, bool kLast>
[[gnu::always_inline]] inline void sumStep(const float* taps, const int* from, const float* in,
                                           R (&tap)[HalfBand::kAtOnce],
                                           R (&part)[kSumParts][HalfBand::kAtOnce][kBeside]) noexcept {
    using O = Ops<R>;
    constexpr int kAtOnce = HalfBand::kAtOnce;
    each<kLast ? kAtOnce - 1 : kAtOnce>([&](auto u) __attribute__((always_inline)) {
        if constexpr (!kLast)
            tap[u] = R(taps[u]);
        const float* const at = in + from[u];
        each<kBeside>([&](auto r) __attribute__((always_inline)) {
            const R x = O::load(at + r * O::kWidth);
            each<kAtOnce>([&](auto i) __attribute__((always_inline)) {
                if constexpr ((!kLast || i > u) && (!kFirst || i <= u)) {
                    R& sum = part[u % kSumParts][i][r];
                    sum = O::fma(tap[(u - i + kAtOnce) % kAtOnce], x, sum);
                }
            });
        });
    });
}

/// kBeside registers of columns of all outputs. `kIsUp`: what meets the middle tap becomes a plane of its
/// own, else half of it is added. `kTaps`: their number where it is known, so that all sums stay in
/// registers, else 0.
template <class R, int kBeside, int kSumParts, bool kIsUp, int kTaps>
[[gnu::always_inline]] inline void filterColumns(const HalfBand& band, const float* in, float* to,
                                                 int stride) noexcept {
    using O = Ops<R>;
    constexpr int kAtOnce = HalfBand::kAtOnce;
    const int* const middle = band.middle.data();
    const float* const taps = band.taps.data();
    const int count = kTaps > 0 ? kTaps : static_cast<int>(band.taps.size()) - kAtOnce;
    for (int output = 0; output < band.outputs; output += kAtOnce) {
        R part[kSumParts][kAtOnce][kBeside];
        for (auto& some : part)
            for (auto& one : some)
                for (R& sum : one)
                    sum = R(0.0F);
        R tap[kAtOnce];
        const int* const from = band.from.data() + output;
        sumStep<R, kBeside, kSumParts, true, false>(taps, from, in, tap, part);
#pragma GCC unroll 8
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

template <class V, bool kIsUp, int kTaps>
void filterPlanes(const HalfBand& band, const float* in, float* out, int stride, int columns) noexcept {
    int c = 0;
    if constexpr (hasWide<V>) {
        using R = typename WidestOf<V>::type;
        constexpr int kWidth = Ops<R>::kWidth;
        if constexpr (kTaps > 0)
            for (; c + kWidth + kPlaneStep < columns; c += 2 * kWidth)
                filterColumns<R, 2, 2, kIsUp, kTaps>(band, in + c, out + c, stride);
        for (; c + kPlaneStep < columns; c += kWidth)
            filterColumns<R, 1, 2, kIsUp, kTaps>(band, in + c, out + c, stride);
        if (c < columns)
            filterColumns<V, 1, 2, kIsUp, kTaps>(band, in + c, out + c, stride);
    } else {
        for (; c < columns; c += 2 * Ops<V>::kWidth)
            filterColumns<V, 2, 1, kIsUp, kTaps>(band, in + c, out + c, stride);
    }
}

/// The numbers of taps of 2, 4 and 8 times 48 kHz are known.
template <class V, bool kIsUp>
void filterAnyPlanes(const HalfBand& band, const float* in, float* out, int stride, int columns) noexcept {
    switch (static_cast<int>(band.taps.size()) - HalfBand::kAtOnce) {
    case 8:
        return filterPlanes<V, kIsUp, 8>(band, in, out, stride, columns);
    case 12:
        return filterPlanes<V, kIsUp, 12>(band, in, out, stride, columns);
    case 20:
        return filterPlanes<V, kIsUp, 20>(band, in, out, stride, columns);
    case 28:
        return filterPlanes<V, kIsUp, 28>(band, in, out, stride, columns);
    default:
        return filterPlanes<V, kIsUp, 0>(band, in, out, stride, columns);
    }
}

template <class V>
void planesUp(const HalfBand& band, const float* in, float* out, int stride, int columns) noexcept {
    filterAnyPlanes<V, true>(band, in, out, stride, columns);
}

template <class V>
void planesDown(const HalfBand& band, const float* in, float* out, int stride, int columns) noexcept {
    filterAnyPlanes<V, false>(band, in, out, stride, columns);
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
