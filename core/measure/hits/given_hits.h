// Hits that a pattern says: of drums that are played, and of loops whose pieces are.
#pragma once

#include <core/measure/hits/kit_hits.h>

namespace cask::measure {

/// Peak of an input around a stroke, dBFS.
[[nodiscard]] float peakAround(const HitInput& input, double timeS, bool isAmbient);

/// A loop whose pieces say their drums.
[[nodiscard]] bool isGivenLoop(const HitInput& input);
/// Its drums and their strokes. `input` is its place among the inputs.
void addGivenLoop(KitHits& hits, int input, const HitInput& loop);

/// Drums that are played and their strokes. One that nothing was heard of is left out.
void addPlayed(KitHits& hits, std::span<const HitInput> inputs);

} // namespace cask::measure
