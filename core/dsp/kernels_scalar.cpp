// The plain form: one channel after another, no registers of lanes. Reference for tests and benchmarks.
#include "core/dsp/kernels_impl.h"

#include <cmath>

namespace cask::dsp {
namespace {

template <> struct Ops<float> {
    static constexpr int kWidth = 1;
    static float load(const float* p) { return *p; }
    static float loadLanes(const LaneFloats& values, int lane) { return values[lane]; }
    static void store(float* p, float v) { *p = v; }
    static float fma(float a, float b, float c) { return a * b + c; }
    static float fms(float a, float b, float c) { return a * b - c; }
    static float max(float a, float b) { return a > b ? a : b; }
    static float abs(float a) { return std::fabs(a); }
    static float sin(float a) { return std::sin(a); }
    static float min(float a, float b) { return a < b ? a : b; }
    static bool less(float a, float b) { return a < b; }
    static bool notLess(float a, float b) { return !(a < b); }
    static bool without(bool a, bool b) { return a && !b; }
    static bool any(bool mask) { return mask; }
    static bool isSet(bool mask, int /*lane*/) { return mask; }
    using Wide = double;
    static constexpr int kWide = 1;
    static double loadWide(const double* p) { return *p; }
    static void storeWide(double* p, double v) { *p = v; }
    static double widen(const float* p) { return *p; }
    static void narrow(float* p, double v) { *p = static_cast<float>(v); }
    static float reciprocal(float a) { return 1 / a; }
    static float within(bool mask, float a) { return mask ? a : 0.0F; }
    static float outside(bool mask, float a) { return mask ? 0.0F : a; }
    static float select(bool mask, float a, float b) { return mask ? a : b; }
    static float log2(float a) { return std::log2(a); }
    static float exp2(float a) { return std::exp2(a); }
    static float partner(const float* frame, int lane) { return frame[lane ^ 1]; }
    using Quad = float;
    static float loadQuads(const float* p, int /*step*/) { return *p; }
    static void storeQuads(float* p, int /*step*/, float v) { *p = v; }
    static constexpr int kRows = 1;
    static void transpose(float (&)[kRows]) {}
};

} // namespace

extern const Kernels kScalarKernels;
const Kernels kScalarKernels = makeKernels<float>("scalar");

} // namespace cask::dsp
