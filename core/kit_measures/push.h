// The push test: a kit driven into a bus's chain until its drums break.
#pragma once

#include <core/advise/kit_measures.h>
#include <core/graph/plan.h>
#include <core/kit_measures/hit_analysis.h>

namespace cask::kit {

/// Over the middle 20 s of what comes to the bus (or element, or master), its chain alone run at each drive;
/// keys that its modules listen to are left out. Drums without a microphone count too. Errors: no such node,
/// cancelling, a route that feeds itself.
[[nodiscard]] Result<advise::PushMeasure> pushKit(const session::Session& session, session::Id node,
                                                  const HitAnalysis& hits, const graph::SourceLookup& sources,
                                                  const measure::PushLimits& limits,
                                                  const CancelToken& cancel = {});

} // namespace cask::kit
