// The cuts that a detector hears through.
#pragma once

#include <core/dsp/eq_settings.h>
#include <core/dsp/gate_settings.h>
#include <vector>

namespace cask::dsp {

/// Low cut first; a cut at the end of its range (10 Hz, 20 kHz) is off and left out.
[[nodiscard]] std::vector<EqBand> detectorCuts(double lowCutHz, double highCutHz, double slopeDbPerOct);

/// What a detector hears that hears the same part of the spectrum as its module acts on: 24 dB an octave.
[[nodiscard]] std::vector<EqBand> partCuts(GateReach reach, double fromHz, double toHz);

} // namespace cask::dsp
