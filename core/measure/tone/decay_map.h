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
    [[nodiscard]] std::size_t firstFrame() const; ///< of those that tell the decay
    /// Time to fall by 60 dB at a bin: a straight line through the levels from 30 ms after the onset until
    /// they come near the background or the map ends; where the background is there at once, through all of
    /// them, if they do lie on a line. 0 when that is too little to say.
    [[nodiscard]] double decayMs(std::size_t bin) const;
    /// The same for all power around a frequency together, from a share below to as much above, but for the
    /// bins that a tone at the frequency leaks into.
    [[nodiscard]] double decayAroundMs(double hz, double ratio) const;

  private:
    struct Line {
        double ms = 0;
        double roughnessDb = 0; ///< RMS distance of the levels from the line
    };
    [[nodiscard]] Line fit(const std::vector<double>& db) const;
};

/// What a frequency's decay is held against: local maxima within an octave to either side (two when little
/// sounds there) that are not far softer than itself, Hz. What is softer, or lies between, may be its own
/// leakage.
[[nodiscard]] std::vector<double> surroundingsOf(const DecayMap& map, double hz);

/// Decay at a frequency, and the median of its surroundings (of all power near it when there are none), ms to
/// fall by 60 dB; 0 where it can't be told.
struct DecayAgainst {
    double ms = 0;
    double aroundMs = 0;
};
[[nodiscard]] DecayAgainst decayAgainst(const DecayMap& map, double hz, const std::vector<double>& aroundHz);

[[nodiscard]] DecayMap measureDecayMap(const HitMaterial& material, const std::vector<ClearHit>& hits);

} // namespace cask::measure
