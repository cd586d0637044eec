// Digital second-order sections whose magnitude follows the analogue prototype up to the top of hearing.
#pragma once

#include <core/dsp/analogue.h>
#include <vector>

namespace cask::dsp {

/// A second-order section as a state-variable filter with trapezoidal integrators (Zavalishin, "The Art of VA
/// Filter Design"; Simper 2013): any stable section can be written so, and g, k and the mix may move while
/// sound passes.
///   v1, v2 = band- and low-pass of 1 / (s^2 + k s + 1) at g = tan(pi f / rate);  out = m0 x + m1 v1 + m2 v2
struct SvfCoefficients {
    double g = 0.1;
    double k = 1;
    double m0 = 1;
    double m1 = 0;
    double m2 = 0;

    friend bool operator==(const SvfCoefficients&, const SvfCoefficients&) = default;
};

/// Fits |H|^2, a ratio of quadratics in sin^2(w/2), to the prototype by iterated weighted least squares on
/// the relative error (Sanathanan and Koerner 1963), starting from poles mapped by exp(sT); then takes the
/// minimum-phase factor. Any thread. Within 0.3 dB of the prototype up to 0.375 of the rate (18 kHz at 48
/// kHz).
[[nodiscard]] SvfCoefficients designSection(const AnalogueSection& prototype, double sampleRateHz);

/// |H|^2 of the digital section at a frequency, Hz.
[[nodiscard]] double magnitudeSquared(const SvfCoefficients& c, double hz, double sampleRateHz);
/// Gain of sections in cascade at a frequency, dB.
[[nodiscard]] double responseDb(const std::vector<SvfCoefficients>& sections, double hz, double sampleRateHz);

} // namespace cask::dsp
