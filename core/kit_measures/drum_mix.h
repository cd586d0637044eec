// What a finished mix of drums tells of itself: tempo, pattern, how its drums stand to each other.
#pragma once

#include <core/graph/plan.h>
#include <core/measure/hits/file_trails.h>
#include <core/measure/hits/loop_hits.h>
#include <core/measure/hits/tempo.h>
#include <core/session/session.h>

namespace cask::kit {

inline constexpr int kPatternSteps = 16; ///< of a bar of four beats; more or less in other metres

struct MixDrum {
    measure::LoopDrum drum = measure::LoopDrum::Kick;
    int hits = 0;
    /// Median of its louder half, of those strokes of hats and cymbals that no shell is struck with, where
    /// there are three: peak of the
    /// 20 ms after the onset within the drum's bands, against the mix's integrated loudness, dB.
    double levelDb = kSilenceDb;
    /// Share of the bars in which it is struck on each step, 0 to 1; empty without a tempo.
    std::vector<double> pattern;
};

/// A stroke with nothing else near it.
struct LoneStroke {
    measure::LoopDrum drum = measure::LoopDrum::Kick;
    double timeS = 0; ///< onset, from the start of the sound
    double levelDb = kSilenceDb;
};

struct DrumMix {
    double lufs = kSilenceDb; ///< integrated
    measure::Tempo tempo;
    std::vector<MixDrum> drums;    ///< those that are struck, in the order of LoopDrum
    std::vector<LoneStroke> alone; ///< the clearest few of each drum, by time
    [[nodiscard]] const MixDrum* drum(measure::LoopDrum which) const;
    /// Level against the kick's, dB; nothing where one of the two is not struck.
    [[nodiscard]] std::optional<double> againstKickDb(measure::LoopDrum which) const;
};

/// Drums are told apart as in any single stereo file.
[[nodiscard]] DrumMix describeDrumMix(const measure::FileTrails& trails, double lufs);

/// The same of a session's mix over a stretch (`frames` 0: to the end).
[[nodiscard]] Result<DrumMix> describeDrumMix(const session::Session& session,
                                              const graph::SourceLookup& sources, Frames from, Frames frames,
                                              const CancelToken& cancel = {},
                                              const ProgressFn& progress = {});

} // namespace cask::kit
