// Half-band filters over a lane type. Included by kernels_impl.h, once Ops is known.
#pragma once

namespace cask::dsp {
namespace {

/// The widest register that holds whole frames: of two frames where there is one.
template <class V> struct FramesOf { using type = V; };
template <class V>
requires requires {
    typename Ops<V>::Double;
}
struct FramesOf<V> {
    using type = typename Ops<V>::Double;
};

/// N registers of output: sums[i] over t of taps[t] * in[step * t + i], in registers of one or two frames.
template <class R, int N>
void sumTaps(std::span<const float> taps, const float* in, int step, R (&sums)[N]) noexcept {
    using O = Ops<R>;
    constexpr int kApart = O::kWidth > kLanes ? O::kWidth : kLanes;
    for (R& sum : sums)
        sum = R(0.0F);
    for (const float tap : taps) {
        const R factor(tap);
        for (int i = 0; i < N; ++i)
            sums[i] = O::fma(factor, O::load(in + i * kApart), sums[i]);
        in += step;
    }
}

template <class V>
void halfUpGroup(std::span<const float> taps, const float* in, float* out, int frames) noexcept {
    using R = typename FramesOf<V>::type;
    constexpr int kAtOnce = 8;
    constexpr int kWide = Ops<R>::kWidth;
    const float* const middle = in + static_cast<std::ptrdiff_t>(taps.size() / 2) * kLanes;
    const auto putFrame = [&](int n, int lane, V even) {
        Ops<V>::store(out + 2 * n * kLanes + lane, even);
        Ops<V>::store(out + (2 * n + 1) * kLanes + lane, Ops<V>::load(middle + n * kLanes + lane));
    };
    int n = 0;
    if constexpr (kWide > kLanes) {
        for (; n + 2 * kAtOnce <= frames; n += 2 * kAtOnce) {
            R sums[kAtOnce];
            sumTaps<R>(taps, in + n * kLanes, kLanes, sums);
            for (int i = 0; i < kAtOnce; ++i) {
                putFrame(n + 2 * i, 0, Ops<V>::low(sums[i]));
                putFrame(n + 2 * i + 1, 0, Ops<V>::high(sums[i]));
            }
        }
    }
    for (int lane = 0; lane < kLanes; lane += Ops<V>::kWidth) {
        int m = n;
        for (; m + kAtOnce <= frames; m += kAtOnce) {
            V sums[kAtOnce];
            sumTaps<V>(taps, in + m * kLanes + lane, kLanes, sums);
            for (int i = 0; i < kAtOnce; ++i)
                putFrame(m + i, lane, sums[i]);
        }
        for (; m < frames; ++m) {
            V sums[1];
            sumTaps<V>(taps, in + m * kLanes + lane, kLanes, sums);
            putFrame(m, lane, sums[0]);
        }
    }
}

template <class V>
void halfDownGroup(std::span<const float> taps, const float* in, float* out, int frames) noexcept {
    using R = typename FramesOf<V>::type;
    using O = Ops<V>;
    constexpr int kAtOnce = 8;
    constexpr int kPiece = 64;
    constexpr int kMostTaps = 96;
    const auto count = static_cast<int>(taps.size());
    const float* const middle = in + static_cast<std::ptrdiff_t>(count - 1) * kLanes;
    const V half(0.5F);
    if (count > kMostTaps) { // of no rate that is worked at
        for (int lane = 0; lane < kLanes; lane += O::kWidth)
            for (int n = 0; n < frames; ++n) {
                V sum(0.0F);
                for (int t = 0; t < count; ++t)
                    sum = O::fma(V(taps[static_cast<std::size_t>(t)]),
                                 O::load(in + 2 * (n + t) * kLanes + lane), sum);
                O::store(out + n * kLanes + lane, O::fma(half, O::load(middle + 2 * n * kLanes + lane), sum));
            }
        return;
    }
    // Every other frame side by side: so registers of two frames can be read.
    alignas(64) float evens[static_cast<std::size_t>(kPiece + kMostTaps) * kLanes];
    for (int done = 0; done < frames; done += kPiece) {
        const int some = frames - done < kPiece ? frames - done : kPiece;
        for (int n = 0; n < some + count - 1; ++n)
            for (int lane = 0; lane < kLanes; lane += O::kWidth)
                O::store(evens + n * kLanes + lane, O::load(in + 2 * (done + n) * kLanes + lane));
        const auto putFrame = [&](int n, int lane, V sum) {
            O::store(out + (done + n) * kLanes + lane,
                     O::fma(half, O::load(middle + 2 * (done + n) * kLanes + lane), sum));
        };
        int n = 0;
        if constexpr (Ops<R>::kWidth > kLanes) {
            for (; n + 2 * kAtOnce <= some; n += 2 * kAtOnce) {
                R sums[kAtOnce];
                sumTaps<R>(taps, evens + n * kLanes, kLanes, sums);
                for (int i = 0; i < kAtOnce; ++i) {
                    putFrame(n + 2 * i, 0, O::low(sums[i]));
                    putFrame(n + 2 * i + 1, 0, O::high(sums[i]));
                }
            }
        }
        for (int lane = 0; lane < kLanes; lane += O::kWidth) {
            int m = n;
            for (; m + kAtOnce <= some; m += kAtOnce) {
                V sums[kAtOnce];
                sumTaps<V>(taps, evens + m * kLanes + lane, kLanes, sums);
                for (int i = 0; i < kAtOnce; ++i)
                    putFrame(m + i, lane, sums[i]);
            }
            for (; m < some; ++m) {
                V sums[1];
                sumTaps<V>(taps, evens + m * kLanes + lane, kLanes, sums);
                putFrame(m, lane, sums[0]);
            }
        }
    }
}

} // namespace
} // namespace cask::dsp
