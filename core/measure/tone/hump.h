// Broad humps in the two stretches that most often want less: boxy low mids and harsh upper mids.
#pragma once

#include <core/measure/spectrum.h>
#include <functional>

namespace cask::measure {

inline constexpr double kBoxFromHz = 280; // under it lies the body of snares and toms
inline constexpr double kBoxToHz = 500;
inline constexpr double kHarshFromHz = 2000;
inline constexpr double kHarshToHz = 5000;

/// How far a spectrum rises over its surroundings. Levels are taken between the drum's own partials (the 40 %
/// rank of the 1/24 octave bands of half an octave), so that a strong partial is no hump; the surroundings
/// are the mean of the levels below and above, read likewise: a factor of 1.7 away for boxiness, where the
/// slope of the lows is not far, of 2.6 for harshness.
struct Hump {
    double hz = 0;       ///< where it is greatest; 0 without a spectrum
    double excessDb = 0; ///< there; may be negative: a dip
    double octaves = 0;  ///< width in which it keeps half of the excess
    bool isTop =
        false; ///< it is higher than a sixth of an octave to both sides: no slope of what lies outside
};

/// Boxiness: the greatest hump from 280 to 500 Hz.
[[nodiscard]] Hump measureBoxiness(const Spectrum& own);
/// Harshness: the greatest hump from 2 to 5 kHz of the spectrum as the ear weighs it (ISO 226 at 70 phon).
[[nodiscard]] Hump measureHarshness(const Spectrum& own);

/// The spectrum after filters whose magnitude at a frequency is `responseDb`.
[[nodiscard]] Spectrum filtered(const Spectrum& spectrum, const std::function<double(double hz)>& responseDb);

} // namespace cask::measure
