// A drum in one microphone beside another: tells what the microphone adds from how the drum sounds.
#pragma once

#include <core/advise/kit_measures.h>
#include <core/graph/plan.h>
#include <core/kit_measures/hit_analysis.h>

namespace cask::kit {

/// Own hits of the element's drum, those that no other drum of skin disturbs where there are three of these,
/// here and in the drum's other close microphone (kicks), else in the overheads. Nothing for elements that
/// are no kick, top of a snare or tom, where there is no other that is alive, or fewer than three hits.
[[nodiscard]] std::optional<advise::Beside> measureBeside(const session::Session& session,
                                                          const HitAnalysis& hits,
                                                          const graph::SourceLookup& sources,
                                                          session::Id element);

} // namespace cask::kit
