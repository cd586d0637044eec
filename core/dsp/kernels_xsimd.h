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
    static V tanh(V a) { return xsimd::tanh(a); }
    /// What rows are turned into columns with: four floats, because how wider registers interleave differs
    /// between versions of the library.
    using Quad = xsimd::batch<float, xsimd::sse4_1>;
    /// Rows become columns, by two perfect shuffles. Only for four floats.
    static void transpose(V (&rows)[4]) {
        static_assert(kWidth == 4);
        for (int round = 0; round < 2; ++round) {
            const V a = xsimd::zip_lo(rows[0], rows[2]);
            const V b = xsimd::zip_hi(rows[0], rows[2]);
            const V c = xsimd::zip_lo(rows[1], rows[3]);
            const V d = xsimd::zip_hi(rows[1], rows[3]);
            rows[0] = a;
            rows[1] = b;
            rows[2] = c;
            rows[3] = d;
        }
    }
};

} // namespace
} // namespace cask::dsp
