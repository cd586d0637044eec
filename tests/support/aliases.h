// What folds back when a curve makes new tones of one tone.
#pragma once

#include <core/base/units.h>
#include <core/measure/real_fft.h>
#include <span>

namespace cask::test {

/// What lies between the harmonics of a tone of whole hertz, from 20 Hz to 20 kHz, over the last second, dBFS
/// of a sine. REQUIRES: the tone divides no multiple of the rate, so that what folds back falls between.
[[nodiscard]] inline double aliasesDb(std::span<const float> x, int hz, int rateHz = 48000) {
    measure::RealFft fft(static_cast<std::size_t>(rateHz));
    const auto spectrum = fft.forward(x.last(static_cast<std::size_t>(rateHz)));
    double power = 0;
    for (int bin = 20; bin <= 20000; ++bin)
        if (bin % hz != 0)
            power += static_cast<double>(std::norm(spectrum[static_cast<std::size_t>(bin)]));
    return powerToDb(power) + linearToDb(2.0 / rateHz);
}

} // namespace cask::test
