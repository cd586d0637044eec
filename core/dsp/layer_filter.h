// Filters that shape a layer of a stack: steep enough to part bands, with a resonance at the corner.
#pragma once

#include <core/dsp/eq_settings.h>
#include <core/dsp/section_design.h>
#include <vector>

namespace cask::dsp {

struct LayerFilterSettings {
    FilterKind kind = FilterKind::LowPass; ///< HighPass or LowPass
    double frequencyHz = 1000;
    double slopeDbPerOct = 12; ///< 12 or 24
    double resonanceDb = 0;    ///< 0 to 24, over the Butterworth corner's -3 dB
    friend bool operator==(const LayerFilterSettings&, const LayerFilterSettings&) = default;
};

/// Sections in cascade, the equaliser's own: Butterworth, whose sharpest section's Q is raised by the
/// resonance, so that the level at the corner rises by as much and far from it nothing changes.
[[nodiscard]] std::vector<SvfCoefficients> designLayerFilter(const LayerFilterSettings& settings,
                                                             double sampleRateHz);

} // namespace cask::dsp
