// Arrivals of all microphones, gathered into moments that one or more strokes explain.
#pragma once

#include <core/base/parallel.h>
#include <core/measure/hits/patterns.h>

namespace cask::measure {

/// Gathers arrivals in close microphones that follow each other within 3 ms: sound on its way from drum to
/// drum, and limbs that mean one moment. Arrivals in ambient microphones may be later by the way to them.
/// Then measures what every channel heard after the moment and before it.
[[nodiscard]] std::vector<Moment> gatherMoments(const KitModel& kit, std::span<const HitInput> inputs,
                                                const std::vector<TrailChannel>& channels,
                                                const std::vector<std::vector<Arrival>>& arrivals,
                                                const ParallelFor& parallel = oneByOne);

} // namespace cask::measure
