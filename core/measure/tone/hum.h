// Hum of the mains: steady lines at multiples of 50 or 60 Hz.
#pragma once

#include <span>
#include <vector>

namespace cask::measure {

struct HumLine {
    double hz = 0;
    double levelDb = 0;  ///< dBFS of the line as a sine
    double excessDb = 0; ///< over what lies beside it
};

struct Hum {
    double mainsHz = 0; ///< 50 or 60; 0: none
    double levelDb = 0; ///< of all lines together, dBFS of a sine of the same power
    std::vector<HumLine> lines;
};

/// First in the quietest moment of 1.3 s, where no tail dies away any more. Else all over the channel: hits are
/// turned down to the level between them; then a line that is there in half of the windows of some five seconds
/// is steady, and so fine a spectrum lifts it out of the drums, whose hits never come so evenly. Lines up to
/// ten times the mains that stand 10 dB over what lies beside them; there must be one at the mains, or two
/// above it. Nothing is said of less than about eleven seconds.
[[nodiscard]] Hum measureHum(std::span<const float> channel, double sampleRateHz);

} // namespace cask::measure
