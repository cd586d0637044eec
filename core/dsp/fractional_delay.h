// Shifts by a part of a frame.
#pragma once

#include <array>
#include <core/dsp/kernels.h>

namespace cask::dsp {

/// Windowed-sinc interpolation (Kaiser, beta 9; Laakso et al. 1996): taps that delay by
/// kShiftTaps / 2 - 1 + `fraction` frames, 0 <= fraction < 1. Within 0.02 dB up to 0.39 of the rate. Sums
/// to 1.
[[nodiscard]] std::array<float, kShiftTaps> designShift(double fraction);

/// Whole frames of delay that every designShift() has.
inline constexpr int kShiftDelayFrames = kShiftTaps / 2 - 1;

} // namespace cask::dsp
