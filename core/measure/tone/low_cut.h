// How much of the lows a drum can do without.
#pragma once

#include <core/measure/tone/own_spectrum.h>

namespace cask::measure {

/// A Butterworth high-pass of 24 dB an octave.
struct LowCut {
    double hz = 0;        ///< 0: none can be said
    double ownLossDb = 0; ///< energy that own hits lose, negative
    double spillDb = 0;   ///< change of the spill's energy; 0 without spill
};

/// The highest corner that costs a spectrum of own hits no more than so much of their energy, in steps of
/// 1/24 octave from 20 to 400 Hz.
[[nodiscard]] LowCut findLowCut(const Spectrum& own, const Spectrum& spill, double mostLossDb = 0.5);

/// Change of a spectrum's energy by such a high-pass, dB.
[[nodiscard]] double lowCutChangeDb(const Spectrum& spectrum, double hz);

} // namespace cask::measure
