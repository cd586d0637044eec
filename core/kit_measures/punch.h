// Compressors of a session's elements and buses: what they hear.
#pragma once

#include <core/advise/house_style.h>
#include <core/advise/kit_measures.h>
#include <core/graph/plan.h>
#include <core/kit_measures/hit_analysis.h>
#include <core/measure/punch/compression.h>

namespace cask::kit {

/// The sound of an element or bus as it comes to a module of its chain (kNoId: to where a compressor would be
/// added), what that module listens to, and the hits: of what moves the gain, its key or the element itself;
/// where that has none of its own, those of all drums. `mostS`: of a longer take only so many seconds from
/// its middle; 0: all. Only cancelling is an error.
[[nodiscard]] Result<std::shared_ptr<const measure::HitMaterial>>
punchMaterial(const session::Session& session, session::Id elementOrBus, session::Id module,
              const HitAnalysis& hits, const graph::SourceLookup& sources, const CancelToken& cancel = {},
              double mostS = 0);

/// A bus that is fed by sends alone.
[[nodiscard]] bool isParallelPath(const session::Session& session, session::Id bus);

/// What a compressor's (transient shaper's) settings become at the sections it changes in.
[[nodiscard]] std::vector<measure::CompressionTurn> compressionTurns(const session::Session& session,
                                                                     const session::Module& module);
[[nodiscard]] std::vector<measure::ShapingTurn> shapingTurns(const session::Session& session,
                                                             const session::Module& module);

/// What every compressor that is on does: measured by its own kernel on what really comes to it. Where it
/// takes too much of the beginnings, or has not let go in time, other attacks and releases are tried on the
/// same sound. Those in `known` that still stand in the same session in front of the same settings are taken
/// over: the caller says so by leaving them in. Only cancelling is an error.
[[nodiscard]] Result<std::vector<advise::PunchMeasure>>
measureCompressors(const session::Session& session, const HitAnalysis& hits,
                   const graph::SourceLookup& sources, const advise::HouseStyle& style,
                   const CancelToken& cancel = {}, const std::vector<advise::PunchMeasure>& known = {});

/// All of it: measureCompressors(), and of kick and snare measureBusPunch() and measureStands().
[[nodiscard]] Result<advise::KitPunch> measurePunch(const session::Session& session, const HitAnalysis& hits,
                                                    const graph::SourceLookup& sources,
                                                    const advise::HouseStyle& style,
                                                    const CancelToken& cancel = {},
                                                    const std::vector<advise::PunchMeasure>& known = {});

} // namespace cask::kit
