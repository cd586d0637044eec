// Taps of half-band filters.
#pragma once

#include <vector>

namespace cask::dsp {

/// Taps of a half-band beside its middle one, which is 1/2: as few as hold `stopDb`, in steps of `step`, and
/// evenly good over the pass band (least greatest error). `pass`: its end, in parts of the filter's own
/// (higher) rate, 0 < pass < 1/4; what is stopped begins at 1/2 - pass. Every other tap is zero and left out.
/// Symmetric, their sum is 1/2 to within what is stopped. The middle one lies at size() - 1 of all taps. What
/// was asked for once is kept. `step` is even.
[[nodiscard]] const std::vector<double>& halfBandTaps(double pass, double stopDb, int step);

} // namespace cask::dsp
