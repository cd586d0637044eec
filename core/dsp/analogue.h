// Analogue prototypes: what every filter is measured against.
#pragma once

#include <array>
#include <core/dsp/eq_settings.h>
#include <vector>

namespace cask::dsp {

/// (n2 s^2 + n1 s + n0) / (d2 s^2 + d1 s + d0) with s = j f / frequencyHz.
struct AnalogueSection {
    std::array<double, 3> n{0, 0, 1}; ///< n0, n1, n2 are n[0], n[1], n[2]
    std::array<double, 3> d{1, 0, 0};
    double frequencyHz = 1000;

    /// |H|^2 at a frequency in Hz.
    [[nodiscard]] double magnitudeSquared(double hz) const;
};

/// The band as analogue sections in cascade. Bells and shelves: the second-order forms with Q as in
/// Bristow-Johnson's "Audio EQ cookbook"; passes: Butterworth of order slope / 6.
[[nodiscard]] std::vector<AnalogueSection> analogueSections(const EqBand& band);

/// Magnitude of the whole band, dB; 0 when it is off.
[[nodiscard]] double analogueMagnitudeDb(const EqBand& band, double hz);

} // namespace cask::dsp
