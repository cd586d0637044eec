// The punch of kick and snare on its way to the master: what buses take of it, and what it has to stand over.
#pragma once

#include <core/advise/kit_measures.h>
#include <core/graph/plan.h>
#include <core/kit_measures/hit_analysis.h>

namespace cask::kit {

/// Compressors, shapers, limiters, clippers and saturation: what changes the shape of hits.
[[nodiscard]] bool shapesHits(const session::ModuleSettings& settings);

/// What every bus with such modules on, no parallel path, does to the punch of kick and snare, over the
/// middle minute; for one that takes some, which module does most, and what had been won in the elements.
/// Only cancelling is an error.
[[nodiscard]] Result<std::vector<advise::BusPunchMeasure>> measureBusPunch(const session::Session& session,
                                                                           const HitAnalysis& hits,
                                                                           const graph::SourceLookup& sources,
                                                                           const CancelToken& cancel = {});

/// How far the first 10 ms of each kick and snare, ghosts left out, stand over everything else, over the
/// middle minute, with what shapes hits on buses off. What else sounds: close microphones and context during
/// the hit, those that hear all in the 10 ms before it (they hear the drum too).
[[nodiscard]] Result<std::vector<advise::StandMeasure>> measureStands(const session::Session& session,
                                                                      const HitAnalysis& hits,
                                                                      const graph::SourceLookup& sources,
                                                                      const CancelToken& cancel = {});

} // namespace cask::kit
