// How hits die away, frequency by frequency.
#pragma once

#include <core/measure/tone/own_hits.h>
#include <vector>

namespace cask::measure {

/// Power of the average hit over time and frequency: windows of about a third of the hits' length, 40 to
/// 85 ms, every 10 ms from the onset.
/// Every hit weighs alike, whatever its level; a frame is a mean over the hits that are that long.
struct DecayMap {
    double binHz = 0;
    double stepS = 0.010;
    double windowS = 0;
    std::vector<std::vector<float>> powerDb; ///< [frame][bin], against the average hit's energy
    std::vector<float> backgroundDb;         ///< by bin: the same just before the hits
    [[nodiscard]] std::size_t bins() const { return backgroundDb.size(); }
    /// Time to fall by 60 dB at a bin: a straight line through the levels from 30 ms after the onset until
    /// they come near the background or the map ends. 0 when that is too little to say.
    [[nodiscard]] double decayMs(std::size_t bin) const;
};

[[nodiscard]] DecayMap measureDecayMap(const GateMaterial& material, const std::vector<ClearHit>& hits);

} // namespace cask::measure
