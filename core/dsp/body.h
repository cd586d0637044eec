// A resonance that is struck by the drum and rings at a note of its own.
#pragma once

#include <core/dsp/section_design.h>

namespace cask::dsp {

/// Adds to the sound a resonator excited by it.
struct BodySettings {
    double frequencyHz = 55;
    double decayMs = 300; ///< until the resonance has fallen by 60 dB
    double levelDb = -12; ///< of the resonance, for a steady tone at its frequency
    double driveDb = 0;   ///< of the resonance alone: tanh(d r) / d, d = 10^(drive / 20) - 1
    friend bool operator==(const BodySettings&, const BodySettings&) = default;
};

/// The resonance as it is without drive: H = 1 + G k s / (s^2 + k s + 1): a pole pair with damping k falls by
/// exp(-k w t / 2), so that k = 2 ln(1000) / (w T60).
[[nodiscard]] SvfCoefficients designBody(const BodySettings& settings, double sampleRateHz);

} // namespace cask::dsp
