// An equaliser move as a person types it in one line.
#pragma once

#include <core/base/result.h>
#include <core/dsp/eq_settings.h>
#include <string_view>

namespace cask::session {

/// Reads "60 3dB q1.2", "350 Hz -4", "high-pass 80 24 dB/oct", "A1 +2 dB": a kind in words, a frequency or
/// note, a gain, a Q, a slope, in any order where units tell them apart; of bare numbers the first is the
/// frequency, the second the gain, the third the Q. What is not said stays as it is in `base`.
[[nodiscard]] Result<dsp::EqBand> parseMove(std::string_view text, dsp::EqBand base = {});

} // namespace cask::session
