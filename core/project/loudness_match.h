// How loud two states of a session are, so that they can be compared at equal loudness.
#pragma once

#include <core/base/progress.h>
#include <core/graph/plan.h>

namespace cask::project {

struct LoudnessMatch {
    double firstLufs = kSilenceDb;
    double secondLufs = kSilenceDb;
    /// Gain for each so that both are as loud as the quieter one: never above 0 dB, so nothing can clip by
    /// it.
    double firstGainDb = 0;
    double secondGainDb = 0;
};

/// Renders both over the same stretch (`frames` 0: to the end) and measures integrated loudness (BS.1770).
[[nodiscard]] Result<LoudnessMatch> matchLoudness(const session::Session& first,
                                                  const session::Session& second,
                                                  const graph::SourceLookup& sources, Frames from,
                                                  Frames frames, const CancelToken& cancel = {},
                                                  const ProgressFn& progress = {});

} // namespace cask::project
