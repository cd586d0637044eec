// How sensitive the ear is at a frequency.
#pragma once

namespace cask::measure {

/// Sound pressure level at which a pure tone is as loud as one of `phon` at 1 kHz, dB (ISO 226:2003, formula
/// 1; between the tabulated frequencies evenly in log frequency). REQUIRES: 20 to 90 phon; frequencies
/// outside 20 Hz to 12.5 kHz are taken as the nearer end.
[[nodiscard]] double equalLoudnessDb(double hz, double phon);

/// What to add to a level so that equal numbers are about equally loud at 70 phon; 0 at 1 kHz.
[[nodiscard]] double earWeightDb(double hz);

} // namespace cask::measure
