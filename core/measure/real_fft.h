// Real Fourier transforms of one size.
#pragma once

#include <complex>
#include <span>
#include <vector>

namespace cask::measure {

/// Not thread-safe; different ones may be used, made and destroyed on different threads.
class RealFft {
  public:
    /// REQUIRES: an even size.
    explicit RealFft(std::size_t size);
    RealFft(const RealFft&) = delete;
    RealFft& operator=(const RealFft&) = delete;
    ~RealFft();

    [[nodiscard]] std::size_t size() const { return m_size; }
    [[nodiscard]] std::size_t bins() const { return m_size / 2 + 1; }
    /// Spectrum of `x`, padded with zeros to the size; valid until the next call.
    [[nodiscard]] std::span<const std::complex<float>> forward(std::span<const float> x);
    /// Signal of a spectrum of bins() values, scaled so that it inverts forward().
    [[nodiscard]] std::span<const float> inverse(std::span<const std::complex<float>> spectrum);

  private:
    std::size_t m_size;
    float* m_time;
    std::complex<float>* m_spectrum;
    void* m_forward;
    void* m_inverse;
};

} // namespace cask::measure
