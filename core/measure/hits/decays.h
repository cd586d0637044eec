// How a drum's own sound goes on after a stroke in its own microphones: what follows every stroke at the same
// distance is its tail, however it rises and falls.
#pragma once

#include <core/measure/hits/patterns.h>

namespace cask::measure {

/// By drum, own channel, band and 8 ms: power against the size of the stroke.
class Decays {
  public:
    static constexpr double kBinS = 0.008;
    static constexpr std::size_t kBins = 80;
    static constexpr double kLongestS = kBinS * kBins;

    explicit Decays(std::size_t drums) : m_tails(drums) {}
    /// What three fifths of the strokes stay under that nothing of the same drum follows until then. What
    /// rises again by more than a tail does is left out: other strokes that come at even distances.
    void learn(const Patterns& patterns, const std::vector<Moment>& moments,
               const std::vector<std::vector<Stroke>>& strokes);
    /// Raises `power` (by channel and band) to what is left of a stroke after some time.
    void raise(const Patterns& patterns, const Stroke& stroke, double sinceS,
               std::vector<float>& power) const;

  private:
    struct Tail {
        std::size_t channel = 0;
        std::vector<float> power; ///< [bin * kTrailBands + band]
    };
    std::vector<std::vector<Tail>> m_tails; ///< by drum
};

} // namespace cask::measure
