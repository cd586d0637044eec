// The trained part of telling a drum's own strokes from spill and tails: a second opinion on what the patterns found.
#pragma once

#include <core/measure/hits/own_looks.h>
#include <core/measure/hits/stroke_net.h>

namespace cask::measure {

/// Gives each rise in a drum's own microphone to the drum or takes it away, as the nets hear it. Strokes of
/// drums without a microphone stay.
void hearOwn(std::span<const StrokeNet> nets, const OwnLooks& looks, const Patterns& patterns,
             const std::vector<Moment>& moments, std::vector<std::vector<Stroke>>& strokes);

/// Those that ship (resources/ear), made by bench/teach_own_ear.
[[nodiscard]] const std::vector<StrokeNet>& shippedOwnEar();

} // namespace cask::measure
