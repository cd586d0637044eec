// One step of a state-variable filter over a lane type; part of kernels_impl.h.
#pragma once

namespace cask::dsp {
namespace {

template <class V> inline V smoothstep(V t) {
    return t * t * (V(3.0F) - V(2.0F) * t);
}

template <class V> struct SectionState { V s1, s2; };

/// The state's step. Increments are added to the state so that low corners keep their precision.
template <class V> inline void advance(V x, V c1, V c2, V c3, SectionState<V>& s) noexcept {
    using O = Ops<V>;
    const V v3 = x - s.s2;
    const V n1 = O::fma(c2, v3, O::fma(c1, s.s1, s.s1));
    s.s2 = O::fma(c3, v3, O::fma(c2, s.s1, s.s2));
    s.s1 = n1;
}

} // namespace
} // namespace cask::dsp
