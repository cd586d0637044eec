// A parallel path and what it stands beside, as both come to where they meet.
#pragma once

#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/graph/plan.h>
#include <core/measure/drive/driven_sound.h>

namespace cask::kit {

/// Two channels each, at their levels, in time to the sample, with no blend: equal gain and an inverted path
/// are left out.
struct PathSound {
    measure::Sound dry, wet;
};

/// Of a stretch of the session. Errors: no such path, cancelling, a route that feeds itself.
[[nodiscard]] Result<PathSound> pathSound(const session::Session& session, session::Id path,
                                          const graph::SourceLookup& sources, Frames from, Frames frames,
                                          const CancelToken& cancel = {});

/// What equal gain needs to know of a path (session::ParallelPath).
struct PathMatch {
    double matchDb = 0;
    double likeness = 0;
    double wetLevelDb = 0; ///< the level that the wet sound was heard at
};
/// From the loudness (BS.1770) of dry, wet and both at a like loudness, as they are heard: so a blend of a
/// half is exact. The power of two sounds together is theirs and twice what they share; but for the gates of
/// loudness, which leave out other moments of each, that holds for any blend. Nothing where one is silent.
[[nodiscard]] std::optional<PathMatch> matchOf(const PathSound& sound, double wetLevelDb, bool isInverted,
                                               double rateHz);
/// The same of the middle two minutes of a session.
[[nodiscard]] Result<PathMatch> measurePathMatch(const session::Session& session, session::Id path,
                                                 const graph::SourceLookup& sources,
                                                 const CancelToken& cancel = {});

} // namespace cask::kit
