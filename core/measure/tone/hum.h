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

/// In the quietest 1.3 s of the channel: lines up to ten times the mains that stand 10 dB over what lies
/// beside them, and don't die away from one half of that moment to the other. There must be one at the mains,
/// or two above it. Nothing is said of less than that.
[[nodiscard]] Hum measureHum(std::span<const float> channel, double sampleRateHz);

} // namespace cask::measure
