// Compressors of a session's elements and buses: what they hear.
#pragma once

#include <core/graph/plan.h>
#include <core/kit_measures/hit_analysis.h>
#include <core/measure/punch/compression.h>

namespace cask::kit {

/// The sound of an element or bus as it comes to a module of its chain (kNoId: to where a compressor would be
/// added), what that module listens to, and the hits: of what moves the gain, its key or the element itself;
/// where that has none of its own, those of all drums. Only cancelling is an error.
[[nodiscard]] Result<std::shared_ptr<const measure::HitMaterial>>
punchMaterial(const session::Session& session, session::Id elementOrBus, session::Id module,
              const HitAnalysis& hits, const graph::SourceLookup& sources, const CancelToken& cancel = {});

/// What a compressor's settings become at the sections it changes in.
[[nodiscard]] std::vector<measure::CompressionTurn> compressionTurns(const session::Session& session,
                                                                     const session::Module& module);

} // namespace cask::kit
