// The parts of finding a tempo: a period, its exact value, the bar.
#pragma once

#include <core/measure/hits/tempo.h>
#include <core/measure/statistics.h>

namespace cask::measure {

inline constexpr double kSlowestBpm = 50;
inline constexpr double kFastestBpm = 210;

/// Beat period that autocorrelation likes best: the beat, its double and its half repeat.
[[nodiscard]] double coarsePeriodS(const std::vector<PlayedNote>& notes);
/// Share of weight that a comb of this period gathers, best over its phases: |sum of w exp(2 pi i t / T)|.
[[nodiscard]] double coherence(const std::vector<PlayedNote>& notes, double periodS);
/// How well straight or swung subdivisions of a beat gather the notes, about 0 to 2.
[[nodiscard]] double gridCoherence(const std::vector<PlayedNote>& notes, double beatS);
/// Makes a period exact over a stretch of notes, within this share of itself.
[[nodiscard]] double refine(const std::vector<PlayedNote>& notes, double periodS, double range);
/// Places within a beat at which most is played: the beat is one of them, the off-beat may be another.
[[nodiscard]] std::vector<double> likelyPhases(const std::vector<PlayedNote>& notes, double beatS);

/// Beats after which kick and snare repeat: 4 unless 3, 5 or 7 is plainly better. Each beat is a pattern of
/// sixteenths; what all beats share is taken out, and beats so many apart are correlated.
[[nodiscard]] int guessMetre(const std::vector<PlayedNote>& notes, double beatS, double beatPhaseS);

struct Bar {
    int beats = 4;
    double periodS = 0; ///< of a beat
    double phaseS = 0;  ///< of a bar line
    double score = 0;
};

/// Where the bar begins, by kicks on one and snares on two and four (or on three, at half the pace).
[[nodiscard]] Bar bestBar(const std::vector<PlayedNote>& notes, double beatS, double beatPhaseS, int beats);

} // namespace cask::measure
