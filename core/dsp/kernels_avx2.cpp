#include "core/dsp/kernels_xsimd.h"

namespace cask::dsp {

extern const Kernels kAvx2Kernels;
const Kernels kAvx2Kernels = makeKernels<xsimd::batch<float, xsimd::fma3<xsimd::avx2>>>("avx2");

} // namespace cask::dsp
