// Registers side by side as one lane type. Included by kernels_xsimd.h, once Ops of one register is known.
#pragma once

#include "core/dsp/kernels_impl.h"

#include <tuple>
#include <type_traits>
#include <utility>

namespace cask::dsp {
namespace {

/// `n` registers on which every step is done before the next one. A long chain of steps on one register fills
/// what the processor looks ahead with steps that wait; side by side, others are always ready.
template <class R, int n> struct Beside {
    R part[n];
    Beside() = default;
    explicit Beside(float value) {
        each<n>([&](auto i) { part[i] = R(value); });
    }
};

/// What `act` makes of the parts of some, part by part.
template <int n, class Act, class R, class... More>
[[gnu::always_inline]] inline auto ofParts(const Act& act, const Beside<R, n>& a, const More&... more) {
    Beside<std::decay_t<decltype(act(a.part[0], more.part[0]...))>, n> made;
    each<n>([&](auto i) __attribute__((always_inline)) { made.part[i] = act(a.part[i], more.part[i]...); });
    return made;
}

template <class R, int n> inline Beside<R, n> operator+(const Beside<R, n>& a, const Beside<R, n>& b) {
    return ofParts([](R x, R y) { return x + y; }, a, b);
}
template <class R, int n> inline Beside<R, n> operator-(const Beside<R, n>& a, const Beside<R, n>& b) {
    return ofParts([](R x, R y) { return x - y; }, a, b);
}
template <class R, int n> inline Beside<R, n> operator*(const Beside<R, n>& a, const Beside<R, n>& b) {
    return ofParts([](R x, R y) { return x * y; }, a, b);
}

template <class R, int n> struct Ops<Beside<R, n>> : Functions<Beside<R, n>> {
    using V = Beside<R, n>;
    using O = Ops<R>;
    static constexpr int kWidth = n * O::kWidth;
    static V load(const float* p) {
        V v;
        each<n>([&](auto i) { v.part[i] = O::load(p + i * O::kWidth); });
        return v;
    }
    /// REQUIRES: a register holds all lanes.
    static V loadLanes(const LaneFloats& values, int lane) {
        static_assert(O::kWidth % kLanes == 0);
        V v;
        each<n>([&](auto i) { v.part[i] = O::loadLanes(values, lane); });
        return v;
    }
    static void store(float* p, const V& v) {
        each<n>([&](auto i) { O::store(p + i * O::kWidth, v.part[i]); });
    }
    static V fma(const V& a, const V& b, const V& c) { return ofParts(O::fma, a, b, c); }
    static V fms(const V& a, const V& b, const V& c) { return ofParts(O::fms, a, b, c); }
    static V fnma(const V& a, const V& b, const V& c) { return ofParts(O::fnma, a, b, c); }
    static V max(const V& a, const V& b) { return ofParts(O::max, a, b); }
    static V min(const V& a, const V& b) { return ofParts(O::min, a, b); }
    static V estimate(const V& a) { return ofParts(O::estimate, a); }
    static V turned(const V& a, const V& odd) { return ofParts(O::turned, a, odd); }
    static V raised(const V& a, const V& octave) { return ofParts(O::raised, a, octave); }
    static std::pair<V, V> partsOf(const V& a) {
        std::pair<V, V> parts;
        each<n>([&](auto i) { std::tie(parts.first.part[i], parts.second.part[i]) = O::partsOf(a.part[i]); });
        return parts;
    }
};

} // namespace
} // namespace cask::dsp
