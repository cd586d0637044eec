// Lane operations on xsimd registers.
#pragma once

#include "core/dsp/kernels_impl.h"

#include <xsimd/xsimd.hpp>

namespace cask::dsp {
namespace {

template <class Arch> struct Ops<xsimd::batch<float, Arch>> {
    using V = xsimd::batch<float, Arch>;
    static constexpr int kWidth = static_cast<int>(V::size);
    static V load(const float* p) { return V::load_unaligned(p); }
    static void store(float* p, V v) { v.store_unaligned(p); }
    static V fma(V a, V b, V c) { return xsimd::fma(a, b, c); }
    static V max(V a, V b) { return xsimd::max(a, b); }
    static V abs(V a) { return xsimd::abs(a); }
};

} // namespace
} // namespace cask::dsp
