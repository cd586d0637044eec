// Tempo, bars and subdivision of a performance, and how far each hit is from the grid.
#pragma once

#include <core/measure/hits/kit_hits.h>
#include <vector>

namespace cask::measure {

/// A stroke as the grid sees it.
struct PlayedNote {
    double timeS = 0;
    double weight = 1; ///< 0-1, louder counts more
    enum class Part { Kick, Snare, Other } part = Part::Other;
};

struct Tempo {
    bool isKnown = false;
    double bpm = 0;          ///< quarter notes a minute: mean over the take
    double confidence = 0;   ///< 0-1: how much of the notes lies near the grid, above what chance does
    double driftPercent = 0; ///< fastest against slowest stretch of eight bars
    int beatsPerBar = 4;
    double swingPercent =
        50; ///< place of the second half of a beat (or of an eighth, see below): 50 is straight
    bool isSwingOnSixteenths = false;
    std::vector<double> beatsS; ///< time of every beat from the first bar's to the end
    double firstBarS = 0;       ///< beatsS.front(): bar lines lie at every beatsPerBar-th beat

    /// Beats since the first bar line; parts count, negative before it.
    [[nodiscard]] double beatAt(double timeS) const;
    [[nodiscard]] double timeOf(double beat) const;
    /// Time of the grid line (sixteenths, bent by the swing) nearest to an instant.
    [[nodiscard]] double nearestLineS(double timeS) const;
};

/// What a person says about the tempo goes before what is measured.
struct TempoGiven {
    double bpm = 0; ///< 0: to be found
    int beatsPerBar = 0;
    double firstBarS = -1; ///< -1: to be found
};

/// Autocorrelation of the notes gives the period, the backbeat its level and the bar; beats are then followed
/// through the take and laid by least squares where it is steady. Takes of less than eight notes have none.
[[nodiscard]] Tempo findTempo(const std::vector<PlayedNote>& notes, const TempoGiven& given = {});
[[nodiscard]] std::vector<PlayedNote> playedNotes(const KitHits& hits);

/// How a drum is played against the grid.
struct DrumTiming {
    double feelMs = 0;      ///< median error: late is positive
    double spreadMs = 0;    ///< 1.48 times the median deviation from it
    std::vector<int> gross; ///< strokes far outside the drum's own spread
};

struct Timing {
    std::vector<double> errorMs; ///< by stroke, from the nearest line; 0 without a tempo
    std::vector<DrumTiming> drums;
};

[[nodiscard]] Timing measureTiming(const KitHits& hits, const Tempo& tempo);

} // namespace cask::measure
