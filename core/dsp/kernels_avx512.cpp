// Eight lanes fill a 256-bit register; AVX-512 adds thirty-two of them, which keeps longer cascades out of
// memory.
#include "core/dsp/kernels_xsimd.h"

namespace cask::dsp {

extern const Kernels kAvx512Kernels;
const Kernels kAvx512Kernels = makeKernels<xsimd::batch<float, xsimd::fma3<xsimd::avx2>>>("avx512");

} // namespace cask::dsp
