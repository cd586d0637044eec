// Lane operations on xsimd registers.
#pragma once

#include "core/dsp/kernels_impl.h"

#include <xsimd/xsimd.hpp>

#include <cstdint>
#include <type_traits>
#include <utility>

namespace cask::dsp {
namespace {

/// Functions of a lane type, by what its registers can do.
template <class V> struct Functions {
    /// Within 2e-7 of 1 / a: the processor's estimate and a step of Newton's. Dividing holds everything up.
    [[gnu::always_inline]] static V reciprocal(const V& a) {
        using O = Ops<V>;
        const V r = O::estimate(a);
        return O::fma(r, O::fnma(a, r, V(1.0F)), r);
    }
    /// Within 3e-7, whatever lies in the lanes beside: less whole half turns (in three parts, so that no bit
    /// of them is lost), then a polynomial (least greatest error up to a quarter turn, by Lawson's weights).
    /// REQUIRES: |a| < 1e5.
    [[gnu::always_inline]] static V sin(const V& a) {
        using O = Ops<V>;
        const V rounding(12582912.0F); // 1.5 x 2^23: what is added to it is rounded to whole numbers
        const V moved = O::fma(a, V(0.318309886F), rounding);
        const V turns = moved - rounding;
        V r = O::fnma(turns, V(3.140625F), a);
        r = O::fnma(turns, V(9.67502594e-4F), r);
        r = O::fnma(turns, V(1.50995799e-7F), r);
        const V z = r * r;
        V p = O::fma(V(2.6089183e-06F), z, V(-0.00019811107F));
        p = O::fma(p, z, V(0.008333088F));
        p = O::fma(p, z, V(-0.16666661F));
        return O::turned(O::fma(r * z, p, r), moved);
    }
    /// Of a positive normal number, within 4e-4 dB: the exponent, and a polynomial of the mantissa (fitted at
    /// Chebyshev nodes).
    [[gnu::always_inline]] static V log2(const V& a) {
        using O = Ops<V>;
        const auto [octave, mantissa] = O::partsOf(a);
        const V t = mantissa - V(1.0F);
        V p = O::fma(V(0.05866495F), t, V(-0.22510302F));
        p = O::fma(p, t, V(0.44059902F));
        p = O::fma(p, t, V(-0.71671468F));
        p = O::fma(p, t, V(1.44260395F));
        return O::fma(p, t, octave);
    }
    /// Within 7e-5 dB and exactly 1 at 0: whole octaves are added to the exponent of a polynomial of the
    /// rest, half an octave at most (fitted at Chebyshev nodes). REQUIRES: |a| < 126.
    [[gnu::always_inline]] static V exp2(const V& a) {
        using O = Ops<V>;
        const V rounding(12582912.0F); // 1.5 x 2^23: what is added to it is rounded to whole numbers
        const V octave = a + rounding;
        const V f = a - (octave - rounding);
        V p = O::fma(V(0.0096567106F), f, V(0.055838283F));
        p = O::fma(p, f, V(0.2402253F));
        p = O::fma(p, f, V(0.69313675F));
        p = O::fma(p, f, V(1.0F));
        return O::raised(p, octave);
    }
};

template <class R, int n> struct Beside;

template <class Arch> struct Ops<xsimd::batch<float, Arch>> : Functions<xsimd::batch<float, Arch>> {
    using V = xsimd::batch<float, Arch>;
    static constexpr int kWidth = static_cast<int>(V::size);
    static V load(const float* p) { return V::load_unaligned(p); }
    /// Values by lane from `lane` on, as often as a register holds all of them.
    static V loadLanes(const LaneFloats& values, int lane) {
#ifdef __AVX512F__
        if constexpr (kWidth == 16)
            return V(_mm512_broadcast_f32x8(_mm256_loadu_ps(values.data())));
        else
#endif
            return load(values.data() + lane);
    }
    static void store(float* p, V v) {
        v.store_unaligned(p);
    }
    static V fma(V a, V b, V c) {
#ifdef __AVX512F__
        if constexpr (kWidth == 16) // the library rounds twice
            return V(_mm512_fmadd_ps(a, b, c));
        else
#endif
            return xsimd::fma(a, b, c);
    }
    /// 1 / a to 14 bits, or to 12 without the widest instructions.
    static V estimate(V a) {
#ifdef __AVX512F__
        if constexpr (kWidth == 16)
            return V(_mm512_rcp14_ps(a));
        else if constexpr (kWidth == 8) // the same bits as of the wider register
            return V(_mm256_rcp14_ps(a));
#else
        if constexpr (kWidth == 8)
            return V(_mm256_rcp_ps(a));
#endif
        else
            return V(_mm_rcp_ps(a));
    }
    /// a b - c
    static V fms(V a, V b, V c) {
#ifdef __AVX512F__
        if constexpr (kWidth == 16)
            return V(_mm512_fmsub_ps(a, b, c));
        else
#endif
            return xsimd::fms(a, b, c);
    }
    /// c - a b
    static V fnma(V a, V b, V c) {
#ifdef __AVX512F__
        if constexpr (kWidth == 16)
            return V(_mm512_fnmadd_ps(a, b, c));
        else
#endif
            return xsimd::fnma(a, b, c);
    }
    static V max(V a, V b) {
        return xsimd::max(a, b);
    }
    static V abs(V a) {
        return xsimd::abs(a);
    }
    /// With the other sign where the lowest bit of `odd` is set.
    static V turned(V a, V odd) {
        if constexpr (kWidth == 16) {
#ifdef __AVX512F__
            return V(_mm512_castsi512_ps(
                _mm512_xor_si512(_mm512_castps_si512(a), _mm512_slli_epi32(_mm512_castps_si512(odd), 31))));
#endif
        } else {
            using Whole = xsimd::batch<std::int32_t, Arch>;
            return xsimd::bitwise_cast<V>(xsimd::bitwise_cast<Whole>(a) ^
                                          (xsimd::bitwise_cast<Whole>(odd) << 31));
        }
    }
    static V min(V a, V b) {
        return xsimd::min(a, b);
    }
    static auto less(V a, V b) {
        return a < b;
    }
    using Mask = xsimd::batch_bool<float, Arch>;
    static Mask notLess(V a, V b) {
        if constexpr (kWidth == 8)
            return Mask(
                _mm256_cmp_ps(a, b, 0x15)); // NLT_UQ: of no use without AVX, so its name is not known there
        else
            return Mask(_mm_cmpnlt_ps(a, b));
    }
    /// The first without the second.
    static Mask without(Mask a, Mask b) {
        if constexpr (kWidth == 8)
            return Mask(_mm256_andnot_ps(b, a));
        else
            return Mask(_mm_andnot_ps(b, a));
    }
    static bool any(Mask mask) {
        return xsimd::any(mask);
    }
    static bool isSet(Mask mask, int lane) {
        if constexpr (kWidth == 8)
            return (_mm256_movemask_ps(mask) >> lane & 1) != 0;
        else
            return (_mm_movemask_ps(mask) >> lane & 1) != 0;
    }
#ifdef __AVX512F__
    // All lanes of two sections in one register.
    using Double = xsimd::batch<float, xsimd::avx512f>;
    using Run = Beside<Double, 4>;
    static Double twice(V low, V high) {
        return Double(_mm512_insertf32x8(_mm512_castps256_ps512(low), high, 1));
    }
    static V low(Double a) {
        return V(_mm512_castps512_ps256(a));
    }
    static V high(Double a) {
        return V(_mm512_extractf32x8_ps(a, 1));
    }
    /// The upper half of the first, then the lower half of the second.
    static Double following(Double a, Double b) {
        return Double(_mm512_shuffle_f32x4(a, b, 0x4E));
    }
    /// By halves: the first where it is asked for, else the second.
    static Double choose(bool low, bool high, Double a, Double b) {
        const int mask = (low ? 0x00FF : 0) | (high ? 0xFF00 : 0);
        return Double(_mm512_mask_blend_ps(static_cast<__mmask16>(mask), b, a));
    }
#endif
    // Doubles: half as many at a time, or as many where registers are twice as wide.
#ifdef __AVX512F__
    using WideArch = std::conditional_t<kWidth == 8, xsimd::avx512f, Arch>;
#else
    using WideArch = Arch;
#endif
    using Wide = xsimd::batch<double, WideArch>;
    static constexpr int kWide = static_cast<int>(Wide::size);
    static Wide loadWide(const double* p) {
        return Wide::load_unaligned(p);
    }
    static void storeWide(double* p, Wide v) {
        v.store_unaligned(p);
    }
    static Wide widen(const float* p) {
#if defined(__AVX512F__)
        if constexpr (kWide == 8)
            return Wide(_mm512_cvtps_pd(_mm256_loadu_ps(p)));
        else
#elif defined(__AVX__)
        if constexpr (kWide == 4)
            return Wide(_mm256_cvtps_pd(_mm_loadu_ps(p)));
        else
#endif
            return Wide(_mm_cvtps_pd(_mm_castsi128_ps(_mm_loadl_epi64(reinterpret_cast<const __m128i*>(p)))));
    }
    static void narrow(float* p, Wide v) {
#if defined(__AVX512F__)
        if constexpr (kWide == 8)
            _mm256_storeu_ps(p, _mm512_cvtpd_ps(v));
        else
#elif defined(__AVX__)
        if constexpr (kWide == 4)
            _mm_storeu_ps(p, _mm256_cvtpd_ps(v));
        else
#endif
            _mm_storel_epi64(reinterpret_cast<__m128i*>(p), _mm_castps_si128(_mm_cvtpd_ps(v)));
    }
    /// The value where the mask is set, else 0.
    static V within(Mask mask, V a) {
        if constexpr (kWidth == 8)
            return V(_mm256_and_ps(mask, a));
        else
            return V(_mm_and_ps(mask, a));
    }
    /// The value where the mask is not set, else 0.
    static V outside(Mask mask, V a) {
        if constexpr (kWidth == 8)
            return V(_mm256_andnot_ps(mask, a));
        else
            return V(_mm_andnot_ps(mask, a));
    }
    /// By bits: what a compiler makes of a blend goes through other registers and back.
    static V select(Mask mask, V a, V b) {
        if constexpr (kWidth == 16)
            return xsimd::select(mask, a, b);
        else if constexpr (kWidth == 8)
            return V(_mm256_or_ps(_mm256_and_ps(mask, a), _mm256_andnot_ps(mask, b)));
        else
            return V(_mm_or_ps(_mm_and_ps(mask, a), _mm_andnot_ps(mask, b)));
    }
    /// The exponent of a positive normal number, and what is left of it between 1 and 2.
    static std::pair<V, V> partsOf(V a) {
        if constexpr (kWidth == 16) {
#ifdef __AVX512F__
            return {V(_mm512_getexp_ps(a)), V(_mm512_getmant_ps(a, _MM_MANT_NORM_1_2, _MM_MANT_SIGN_zero))};
#endif
        } else {
            using Whole = xsimd::batch<std::int32_t, Arch>;
            const Whole bits = xsimd::bitwise_cast<Whole>(a);
            return {xsimd::to_float((bits >> 23) - Whole(127)),
                    xsimd::bitwise_cast<V>((bits & Whole(0x7fffff)) | Whole(0x3f800000))};
        }
    }
    /// Times two to the power that the lowest bits of `octave` hold.
    static V raised(V a, V octave) {
        if constexpr (kWidth == 16) {
#ifdef __AVX512F__
            return V(_mm512_castsi512_ps(_mm512_add_epi32(
                _mm512_castps_si512(a), _mm512_slli_epi32(_mm512_castps_si512(octave), 23))));
#endif
        } else {
            using Whole = xsimd::batch<std::int32_t, Arch>;
            return xsimd::bitwise_cast<V>(xsimd::bitwise_cast<Whole>(a) +
                                          (xsimd::bitwise_cast<Whole>(octave) << 23));
        }
    }
    /// The neighbours of the lanes from `lane` on: left and right of each pair change places.
    static V partner(const float* frame, int lane) {
        const V v = load(frame + lane);
#ifdef __AVX512F__
        if constexpr (kWidth == 16)
            return V(_mm512_permute_ps(v, 0xB1));
        else
#endif
            if constexpr (kWidth == 8)
            return V(_mm256_permute_ps(v, 0xB1));
        else
            return V(_mm_shuffle_ps(v, v, 0xB1));
    }
    /// What rows are turned into columns with where there are only four: how wider registers interleave
    /// differs between versions of the library.
    using Quad = xsimd::batch<float, xsimd::sse4_1>;
    // Of a register of eight: a quad, and another that lies `step` behind it.
    static V loadQuads(const float* p, [[maybe_unused]] int step) {
#ifdef __AVX__
        if constexpr (kWidth == 8)
            return V(
                _mm256_insertf128_ps(_mm256_castps128_ps256(_mm_loadu_ps(p)), _mm_loadu_ps(p + step), 1));
        else
#endif
            return load(p);
    }
    static void storeQuads(float* p, [[maybe_unused]] int step, V v) {
#ifdef __AVX__
        if constexpr (kWidth == 8) {
            _mm_storeu_ps(p, _mm256_castps256_ps128(v));
            _mm_storeu_ps(p + step, _mm256_extractf128_ps(v, 1));
        } else
#endif
            store(p, v);
    }
    /// Rows become columns, by two perfect shuffles; of eight floats in each half by itself.
    static constexpr int kRows = 4;
    static void transpose(V (&rows)[kRows]) {
        static_assert(kWidth <= 8);
        for (int round = 0; round < 2; ++round) {
            V zipped[kRows];
            for (int i = 0; i < 2; ++i)
#ifdef __AVX__
                if constexpr (kWidth == 8) {
                    zipped[2 * i] = V(_mm256_unpacklo_ps(rows[i], rows[i + 2]));
                    zipped[2 * i + 1] = V(_mm256_unpackhi_ps(rows[i], rows[i + 2]));
                } else
#endif
                {
                    zipped[2 * i] = xsimd::zip_lo(rows[i], rows[i + 2]);
                    zipped[2 * i + 1] = xsimd::zip_hi(rows[i], rows[i + 2]);
                }
            for (int i = 0; i < kRows; ++i)
                rows[i] = zipped[i];
        }
    }
};

} // namespace
} // namespace cask::dsp

#include "core/dsp/beside.h"
