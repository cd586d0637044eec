// How the drums of a session sound: own hits, fundamentals, rings.
#pragma once

#include <core/advise/kit_measures.h>
#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/graph/plan.h>

namespace cask::project {

/// Of every close microphone of a shell, as it enters its chain, on two threads. `known`: measures of the
/// same sound and hits, which are taken over. Only cancelling is an error.
[[nodiscard]] Result<std::vector<advise::ToneMeasure>>
measureTones(const session::Session& session, const advise::HitAnalysis& hits,
             const graph::SourceLookup& sources, const CancelToken& cancel = {},
             const ProgressFn& progress = {}, const std::vector<advise::ToneMeasure>& known = {});

} // namespace cask::project
