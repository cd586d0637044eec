// The cuts that a detector hears through.
#pragma once

#include <core/dsp/eq_settings.h>
#include <vector>

namespace cask::dsp {

/// Low cut first; a cut at the end of its range (10 Hz, 20 kHz) is off and left out.
[[nodiscard]] std::vector<EqBand> detectorCuts(double lowCutHz, double highCutHz, double slopeDbPerOct);

} // namespace cask::dsp
