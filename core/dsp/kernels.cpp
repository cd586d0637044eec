#include "core/dsp/kernels.h"

#include <xsimd/config/xsimd_cpuid.hpp>
#include <xsimd/xsimd.hpp>

#include <cstdlib>
#include <string_view>
#include <vector>
#include <xmmintrin.h>

namespace cask::dsp {

extern const Kernels kScalarKernels;
extern const Kernels kSse4Kernels;
extern const Kernels kAvx2Kernels;
extern const Kernels kAvx512Kernels;

namespace {

void derive(SectionLanes& p, int lane) {
    // In double: a1 - 1 is a small difference at low corners.
    const double g = p.g[lane];
    const double k = p.k[lane];
    const double a1 = 1 / (1 + g * (g + k));
    const double c1 = -2 * g * (g + k) * a1;
    const double c2 = 2 * g * a1;
    const double c3 = 2 * g * g * a1;
    p.c1[lane] = static_cast<float>(c1);
    p.c2[lane] = static_cast<float>(c2);
    p.c3[lane] = static_cast<float>(c3);
    // Band and low outputs are the means of their state before and after the step.
    const double h1 = 0.5 * p.m1[lane];
    const double h2 = 0.5 * p.m2[lane];
    const double d = h1 * c2 + h2 * c3;
    p.d[lane] = static_cast<float>(p.m0[lane] + d);
    p.e1[lane] = static_cast<float>(h1 * (2 + c1) + h2 * c2);
    p.e2[lane] = static_cast<float>(2 * h2 - d);
}

std::vector<const Kernels*> runnableKernels() {
    std::vector<const Kernels*> sets{&kScalarKernels};
    const auto cpu = xsimd::available_architectures();
    if (cpu.sse4_1)
        sets.push_back(&kSse4Kernels);
    if (cpu.avx2 && __builtin_cpu_supports("fma"))
        sets.push_back(&kAvx2Kernels);
    if (cpu.avx512bw && __builtin_cpu_supports("avx512vl"))
        sets.push_back(&kAvx512Kernels);
    return sets;
}

} // namespace

SectionBank makeBank(int sections) {
    SectionBank bank;
    bank.sections.resize(static_cast<std::size_t>(sections));
    for (auto& section : bank.sections)
        for (int lane = 0; lane < kLanes; ++lane)
            setTarget(section, lane, SvfCoefficients{});
    settle(bank);
    return bank;
}

void setTarget(SectionLanes& section, int lane, const SvfCoefficients& c) {
    section.g[lane] = static_cast<float>(c.g);
    section.k[lane] = static_cast<float>(c.k);
    section.m0[lane] = static_cast<float>(c.m0);
    section.m1[lane] = static_cast<float>(c.m1);
    section.m2[lane] = static_cast<float>(c.m2);
}

void settle(SectionBank& bank) {
    bank.glideLeft = 0;
    for (auto& p : bank.sections) {
        p.fromG = p.g;
        p.fromK = p.k;
        p.fromM0 = p.m0;
        p.fromM1 = p.m1;
        p.fromM2 = p.m2;
        for (int lane = 0; lane < kLanes; ++lane)
            derive(p, lane);
    }
}

void beginGlide(SectionBank& bank, int frames) {
    bank.glideFrames = frames;
    bank.glideLeft = frames;
}

void captureCurrent(SectionBank& bank) {
    if (bank.glideLeft == 0)
        return; // settle() has left `from*` where the sound is
    const float t =
        static_cast<float>(bank.glideFrames - bank.glideLeft) / static_cast<float>(bank.glideFrames);
    const float s = t * t * (3 - 2 * t);
    const auto advance = [s](LaneFloats& from, const LaneFloats& to) {
        for (int lane = 0; lane < kLanes; ++lane)
            from[lane] += s * (to[lane] - from[lane]);
    };
    for (auto& p : bank.sections) {
        advance(p.fromG, p.g);
        advance(p.fromK, p.k);
        advance(p.fromM0, p.m0);
        advance(p.fromM1, p.m1);
        advance(p.fromM2, p.m2);
    }
}

std::span<const Kernels* const> allKernels() {
    static const std::vector<const Kernels*> sets = runnableKernels();
    return sets;
}

const Kernels& kernels() {
    static const Kernels& chosen = []() -> const Kernels& {
        if (const char* name = std::getenv("EMBER_CASK_KERNELS"))
            for (const auto* set : allKernels())
                if (std::string_view(set->name) == name)
                    return *set;
        return *allKernels().back();
    }();
    return chosen;
}

namespace {
constexpr std::uint32_t kFlushToZero = 0x8040; // FTZ and DAZ
}

DenormalGuard::DenormalGuard() noexcept : m_before(_mm_getcsr()) {
    _mm_setcsr(m_before | kFlushToZero);
}
DenormalGuard::~DenormalGuard() {
    _mm_setcsr(m_before);
}

} // namespace cask::dsp
