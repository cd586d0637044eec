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
[[gnu::always_inline]] inline void filterColumns(const HalfBand& band, const float* in, float* to) noexcept {
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
        for (int i = 0; i < kAtOnce; ++i, to += kIsUp ? 2 * kPlaneStride : kPlaneStride)
            for (int r = 0; r < kBeside; ++r) {
                R sum = part[0][i][r];
                if constexpr (kSumParts == 2)
                    sum = sum + part[1][i][r];
                const R passed = O::load(in + middle[output + i] + r * O::kWidth);
                if constexpr (kIsUp) {
                    O::store(to + r * O::kWidth, sum);
                    O::store(to + kPlaneStride + r * O::kWidth, passed);
                } else {
                    O::store(to + r * O::kWidth, O::fma(R(0.5F), passed, sum));
                }
            }
    }
}

template <class V, bool kIsUp, int kTaps>
void filterPlanes(const HalfBand& band, const float* in, float* out, int columns) noexcept {
    int c = 0;
    if constexpr (hasWide<V>) {
        using R = typename WidestOf<V>::type;
        constexpr int kWidth = Ops<R>::kWidth;
        if constexpr (kTaps > 0)
            for (; c + kWidth + kPlaneStep < columns; c += 2 * kWidth)
                filterColumns<R, 2, 2, kIsUp, kTaps>(band, in + c, out + c);
        for (; c + kPlaneStep < columns; c += kWidth)
            filterColumns<R, 1, 2, kIsUp, kTaps>(band, in + c, out + c);
        if (c < columns)
            filterColumns<V, 1, 2, kIsUp, kTaps>(band, in + c, out + c);
    } else {
        for (; c < columns; c += 2 * Ops<V>::kWidth)
            filterColumns<V, 2, 1, kIsUp, kTaps>(band, in + c, out + c);
    }
}

/// The numbers of taps of 2, 4 and 8 times 48 kHz are known.
template <class V, bool kIsUp>
void filterAnyPlanes(const HalfBand& band, const float* in, float* out, int columns) noexcept {
    switch (static_cast<int>(band.taps.size()) - HalfBand::kAtOnce) {
    case 8:
        return filterPlanes<V, kIsUp, 8>(band, in, out, columns);
    case 12:
        return filterPlanes<V, kIsUp, 12>(band, in, out, columns);
    case 20:
        return filterPlanes<V, kIsUp, 20>(band, in, out, columns);
    case 28:
        return filterPlanes<V, kIsUp, 28>(band, in, out, columns);
    default:
        return filterPlanes<V, kIsUp, 0>(band, in, out, columns);
    }
}

template <class V> void planesUp(const HalfBand& band, const float* in, float* out, int columns) noexcept {
    filterAnyPlanes<V, true>(band, in, out, columns);
}

template <class V> void planesDown(const HalfBand& band, const float* in, float* out, int columns) noexcept {
    filterAnyPlanes<V, false>(band, in, out, columns);
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

/// Between quads of lanes and quads of columns, from column m on as far as registers of R reach; frames that
/// lie together are done together.
template <class R, class Get, class Put>
int turnQuads(int m, int columns, const Get& get, const Put& put) noexcept {
    using O = Ops<R>;
    for (; m + O::kWidth <= columns; m += O::kWidth)
        for (int p = 0; p < kPlanes; ++p)
            for (int lane = 0; lane < kLanes; lane += O::kRows) {
                R rows[O::kRows];
                for (int i = 0; i < O::kRows; ++i)
                    rows[i] = get(std::type_identity<R>(), p, lane, m, i);
                O::transpose(rows);
                for (int i = 0; i < O::kRows; ++i)
                    put(rows[i], p, lane, m, i);
            }
    return m;
}
/// In the widest registers, then in those of a quad, then one by one. get(type, plane, lane, column, row) and
/// put(register, ...) are of a row of a quad, one(plane, lane, column) is of a float.
template <class V, class Get, class Put, class One>
void turnFrames(int frames, const Get& get, const Put& put, const One& one) noexcept {
    int m = turnQuads<V>(0, frames / kPlanes, get, put);
    m = turnQuads<typename Ops<V>::Quad>(m, frames / kPlanes, get, put);
    for (int n = m * kPlanes; n < frames; ++n)
        for (int lane = 0; lane < kLanes; ++lane)
            one(n % kPlanes, lane, n / kPlanes);
}

constexpr int kColumnFloats = kPlanes * kLanes; ///< of a column in lanes

/// planes[l][p * kPlaneStride + m] = in[kPlanes m + p] of lane l.
template <class V> void lanesToPlanes(const float* in, float* const* planes, int frames) noexcept {
    turnFrames<V>(
        frames,
        [=]<class R>(std::type_identity<R>, int p, int lane, int m, int row) __attribute__((always_inline)) {
            return Ops<R>::loadQuads(in + (m + row) * kColumnFloats + p * kLanes + lane,
                                     Ops<R>::kRows * kColumnFloats);
        },
        [=]<class R>(R quad, int p, int lane, int m, int row) __attribute__((always_inline)) {
            Ops<R>::store(planes[lane + row] + p * kPlaneStride + m, quad);
        },
        [=](int p, int lane, int m) {
            planes[lane][p * kPlaneStride + m] = in[m * kColumnFloats + p * kLanes + lane];
        });
}

template <class V> void planesToLanes(const float* const* planes, float* out, int frames) noexcept {
    turnFrames<V>(
        frames,
        [=]<class R>(std::type_identity<R>, int p, int lane, int m, int row) __attribute__((always_inline)) {
            return Ops<R>::load(planes[lane + row] + p * kPlaneStride + m);
        },
        [=]<class R>(R quad, int p, int lane, int m, int row) __attribute__((always_inline)) {
            Ops<R>::storeQuads(out + (m + row) * kColumnFloats + p * kLanes + lane,
                               Ops<R>::kRows * kColumnFloats, quad);
        },
        [=](int p, int lane, int m) {
            out[m * kColumnFloats + p * kLanes + lane] = planes[lane][p * kPlaneStride + m];
        });
}

} // namespace
} // namespace cask::dsp
