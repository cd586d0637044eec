// From the equaliser's settings to sections in cascade.
#pragma once

#include <core/dsp/eq_settings.h>
#include <core/dsp/section_design.h>
#include <vector>

namespace cask::dsp {

/// Sections of one band, in order. An off band keeps its sections, each doing nothing, so that switching
/// glides.
[[nodiscard]] std::vector<SvfCoefficients> designBand(const EqBand& band, double sampleRateHz);

/// Sections a band needs, whatever its values.
[[nodiscard]] int sectionCount(const EqBand& band);

/// The band with its gain and range scaled; what has no gain stays as it is.
[[nodiscard]] EqBand withAmount(EqBand band, double amountPercent);

/// Sections of all bands in cascade, as they will sound in the middle or the side.
[[nodiscard]] std::vector<SvfCoefficients> designEq(const EqSettings& settings, double sampleRateHz,
                                                    StereoPart part = StereoPart::Middle);

/// Magnitude of all bands together at one frequency, dB. Designs them for it: for a curve, design once.
[[nodiscard]] double responseDb(const EqSettings& settings, double hz, double sampleRateHz,
                                StereoPart part = StereoPart::Middle);

/// The section that takes out a constant offset: second-order Butterworth high-pass at 5 Hz.
[[nodiscard]] SvfCoefficients designDcFilter(double sampleRateHz);

} // namespace cask::dsp
