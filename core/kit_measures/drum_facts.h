// What recipes and pasted chains go by, of one element.
#pragma once

#include <core/advise/kit_measures.h>
#include <core/session/chain_adapt.h>

namespace cask::kit {

/// Level of own hits behind the trim, fundamental where it is sure, tempo. Nothing of what was not measured;
/// of a bus the tempo alone.
[[nodiscard]] session::DrumFacts drumFacts(const session::Session& s, const advise::HitAnalysis* hits,
                                           const advise::ToneMeasure* tone, session::Id owner);
/// The same out of all measures.
[[nodiscard]] session::DrumFacts drumFacts(const session::Session& s, const advise::KitMeasures& measures,
                                           session::Id owner);

} // namespace cask::kit
