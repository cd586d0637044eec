// What a person changed about the hits, laid over a new analysis.
#pragma once

#include <core/measure/hits/kit_hits.h>
#include <core/session/session.h>
#include <span>

namespace cask::kit {

/// Applies edits in order. An edit that names a hit which the analysis no longer has within 5 ms does
/// nothing, except that an added hit is always there. `elements`: by input. Touched hits get confidence 1.
void applyHitEdits(measure::KitHits& hits, const std::vector<session::Id>& elements,
                   const std::vector<session::HitEdit>& edits, std::span<const measure::HitInput> inputs);
/// Of these the classes alone, over those that rest on the tempo.
void setClassesByHand(measure::KitHits& hits, const std::vector<session::Id>& elements,
                      const std::vector<session::HitEdit>& edits, std::span<const measure::HitInput> inputs);

} // namespace cask::kit
