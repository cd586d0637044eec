// A few numbers on some strokes of a take: those selected, a section's, a class's.
#pragma once

#include <core/measure/hits/tempo.h>
#include <span>

namespace cask::measure {

struct HitSummary {
    int count = 0;
    double medianDb = 0; ///< of the strokes' levels, dBFS
    double rangeDb = 0;  ///< from the 10th to the 90th percentile
    int timed = 0;       ///< strokes that are meant to be on lines: no flams, no rolls; 0 without a tempo
    double feelMs = 0;   ///< median timing error: late is positive
    double spreadMs = 0; ///< 1.48 times the median deviation from it
};

[[nodiscard]] HitSummary summariseHits(const KitHits& hits, const Tempo& tempo, const Timing& timing,
                                       std::span<const int> strokes);

} // namespace cask::measure
