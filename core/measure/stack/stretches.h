// Stretches of a take, and what of them is low. For the measures of this folder.
#pragma once

#include <algorithm>
#include <bit>
#include <cmath>
#include <complex>
#include <core/base/units.h>
#include <core/measure/real_fft.h>
#include <span>
#include <vector>

namespace cask::measure {

/// Silence outside of the take.
[[nodiscard]] inline std::vector<float> stretchOf(std::span<const float> x, std::ptrdiff_t from,
                                                  std::size_t frames) {
    std::vector<float> y(frames, 0.0F);
    for (std::size_t n = 0; n < frames; ++n)
        if (const auto at = from + static_cast<std::ptrdiff_t>(n);
            at >= 0 && at < static_cast<std::ptrdiff_t>(x.size()))
            y[n] = x[static_cast<std::size_t>(at)];
    return y;
}

/// What lies below a frequency, without a shift in time; it falls off until kLowEndRatio times that.
inline constexpr double kLowEndRatio = 1.3;
[[nodiscard]] inline std::vector<float> lowsOf(const std::vector<float>& x, double belowHz, double rateHz) {
    RealFft fft(std::bit_ceil(x.size()));
    const auto whole = fft.forward(x);
    std::vector<std::complex<float>> spectrum(whole.begin(), whole.end());
    const double binHz = rateHz / static_cast<double>(fft.size());
    for (std::size_t k = 0; k < spectrum.size(); ++k) {
        const double over = (static_cast<double>(k) * binHz / belowHz - 1) / (kLowEndRatio - 1);
        spectrum[k] *= static_cast<float>(over <= 0 ? 1 : over >= 1 ? 0 : 0.5 + 0.5 * std::cos(kPi * over));
    }
    const auto low = fft.inverse(spectrum).first(x.size());
    return {low.begin(), low.end()};
}

} // namespace cask::measure
