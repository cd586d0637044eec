// What gives a programmed pattern away: too even, too exact, what no hand plays.
#pragma once

#include <core/layers/drum_map.h>
#include <core/layers/pattern.h>
#include <optional>
#include <string>
#include <vector>

namespace cask::layers {

enum class PatternFault {
    EvenVelocities, ///< nearly all strokes have one or two velocities
    ExactTiming,    ///< nearly all strokes lie where the others of their place in the beat do
    OpenAndClosed,  ///< an open and a closed hat at once
    RepeatedBars,   ///< bars that follow each other are alike in every stroke
    MachineRoll,    ///< strokes faster than kRollMs at one level
    Doubled,        ///< two strokes of one drum at once
    LoudGhosts,     ///< a snare's soft strokes are a group of their own, but hardly softer
    ManyGhosts,     ///< more of them than a hand plays between its accents
};
/// As it stands in JSON: "even_velocities".
[[nodiscard]] std::string_view idOf(PatternFault fault);

struct PatternFinding {
    PatternFault fault = PatternFault::EvenVelocities;
    int note = -1;              ///< the drum; -1: the whole pattern
    int count = 0;              ///< strokes, or bars
    double fromBeat = 0;        ///< of the first place
    int bar = 1;                ///< in which that is, counted from 1
    std::vector<int> strokes{}; ///< indices into the pattern's
    std::string sentence;
};

struct DrumOfPattern {
    int note = 0;
    std::string name;
    Role role = Role::Unknown;
    int strokes = 0;
    int softest = 0, middle = 0, loudest = 0; ///< velocities
    /// Median distance from where the strokes of the same place in the beat lie, ms; nothing for few strokes.
    std::optional<double> looseMs;
};

struct PatternJudgement {
    std::vector<DrumOfPattern> drums; ///< by note
    std::vector<PatternFinding> findings;
    int bars = 0;
};

struct PatternLimits {
    static constexpr int kFewestStrokes = 16;  ///< of a drum that is judged for evenness or timing
    static constexpr double kNearlyAll = 0.95; ///< of its strokes
    static constexpr double kExactMs = 0.6;    ///< a tick of 480 to the beat at 104 bpm
    static constexpr double kAtOnceMs = 10;
    static constexpr double kDoubledMs = 5;
    static constexpr double kRollMs = 90;
    static constexpr int kRollStrokes = 4;
    static constexpr int kRollVelocities = 2; ///< apart at the most
    static constexpr int kSameBars = 8;
    static constexpr int kFewestGhosts = 8;
    static constexpr double kGhostsUnderDb = 9; ///< middle of the ghosts under that of the accents
    static constexpr double kMostGhostsInBar = 8;
};

/// Of the drums of a pattern: what stands on the tenth channel, or all of it where nothing does.
[[nodiscard]] PatternJudgement judgePattern(const Pattern& pattern, const std::vector<MappedNote>& map);

} // namespace cask::layers
