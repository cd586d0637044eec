// The same sound taken in twice: a copy, louder or softer, a little earlier or later, perhaps turned over.
#pragma once

#include <core/advise/kit_measures.h>
#include <core/base/progress.h>
#include <core/graph/plan.h>
#include <core/kit_measures/hit_analysis.h>
#include <vector>

namespace cask::kit {

/// Levels in eight bands over time single out who may be the same (up to half a second apart); the coherence
/// of both around their hits decides. Two microphones of one drum differ in the highs, copies do not.
[[nodiscard]] std::vector<advise::SameAudio> findSameAudio(const session::Session& session,
                                                           const TrailLookup& trails,
                                                           const graph::SourceLookup& sources,
                                                           const CancelToken& cancel = {});

} // namespace cask::kit
