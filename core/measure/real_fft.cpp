#include "core/measure/real_fft.h"

#include "core/measure/fft_planner.h"

#include <fftw3.h>

#include <algorithm>

namespace cask::measure {

RealFft::RealFft(std::size_t size)
    : m_size(size), m_time(fftwf_alloc_real(size)),
      m_spectrum(reinterpret_cast<std::complex<float>*>(fftwf_alloc_complex(size / 2 + 1))) {
    const std::lock_guard lock(fftPlannerMutex());
    auto* spectrum = reinterpret_cast<fftwf_complex*>(m_spectrum);
    m_forward = fftwf_plan_dft_r2c_1d(static_cast<int>(size), m_time, spectrum, FFTW_ESTIMATE);
    m_inverse = fftwf_plan_dft_c2r_1d(static_cast<int>(size), spectrum, m_time, FFTW_ESTIMATE);
}

RealFft::~RealFft() {
    {
        const std::lock_guard lock(fftPlannerMutex());
        fftwf_destroy_plan(static_cast<fftwf_plan>(m_forward));
        fftwf_destroy_plan(static_cast<fftwf_plan>(m_inverse));
    }
    fftwf_free(m_time);
    fftwf_free(m_spectrum);
}

std::span<const std::complex<float>> RealFft::forward(std::span<const float> x) {
    const std::size_t count = std::min(x.size(), m_size);
    std::copy_n(x.begin(), count, m_time);
    std::fill(m_time + count, m_time + m_size, 0.0F);
    fftwf_execute(static_cast<fftwf_plan>(m_forward));
    return {m_spectrum, bins()};
}

std::span<const float> RealFft::inverse(std::span<const std::complex<float>> spectrum) {
    std::copy_n(spectrum.begin(), bins(), m_spectrum);
    fftwf_execute(static_cast<fftwf_plan>(m_inverse));
    for (std::size_t n = 0; n < m_size; ++n)
        m_time[n] /= static_cast<float>(m_size);
    return {m_time, m_size};
}

} // namespace cask::measure
