// A part of the spectrum of a sound.
#pragma once

#include <core/dsp/kernels.h>
#include <vector>

namespace cask::measure {

/// The filter of all lanes that leaves what is between two corners, 24 dB per octave; a corner of 0, or one
/// near half the rate, is left out.
[[nodiscard]] dsp::SectionBank partBank(double fromHz, double toHz, double rateHz);

/// A sound through partBank(). REQUIRES: one or two channels of the same length.
[[nodiscard]] std::vector<std::vector<float>> bandPart(const std::vector<std::vector<float>>& sound,
                                                       double fromHz, double toHz, double rateHz);

} // namespace cask::measure
