#include "core/dsp/fractional_delay.h"

#include "core/base/units.h"

#include <cmath>

namespace cask::dsp {

std::array<float, kShiftTaps> designShift(double fraction) {
    constexpr double kBeta = 9;
    std::array<double, kShiftTaps> taps{};
    double sum = 0;
    for (int t = 0; t < kShiftTaps; ++t) {
        const double x = t - kShiftDelayFrames - fraction;
        const double sinc = std::abs(x) < 1e-12 ? 1 : std::sin(kPi * x) / (kPi * x);
        const double r = x / (kShiftTaps / 2.0);
        const double window = std::abs(r) >= 1 ? 0 : std::cyl_bessel_i(0, kBeta * std::sqrt(1 - r * r));
        taps[static_cast<std::size_t>(t)] = sinc * window;
        sum += sinc * window;
    }
    std::array<float, kShiftTaps> scaled{};
    for (std::size_t t = 0; t < taps.size(); ++t)
        scaled[t] = static_cast<float>(taps[t] / sum);
    return scaled;
}

} // namespace cask::dsp
