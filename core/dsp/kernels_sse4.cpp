#include "core/dsp/kernels_xsimd.h"

namespace cask::dsp {

extern const Kernels kSse4Kernels;
const Kernels kSse4Kernels = makeKernels<xsimd::batch<float, xsimd::sse4_1>>("sse4");

} // namespace cask::dsp
