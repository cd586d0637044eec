// What takes the stiffness out of a pattern. Each gives another pattern; the first stays as it is.
#pragma once

#include <core/layers/drum_map.h>
#include <core/layers/pattern.h>
#include <cstdint>
#include <map>
#include <vector>

namespace cask::layers {

/// How strokes lie around their places and levels. By place in the beat (24 to the quarter note) what a hand
/// does always, and how far it strays.
struct Feel {
    double timingMs = 6;            ///< spread (standard deviation) of the time
    double levelDb = 1.5;           ///< of the level (40 log10 of velocities)
    std::map<int, double> lateMs;   ///< by place: where its strokes lie in the middle
    std::map<int, double> louderDb; ///< by place: against the drum's other strokes
};
/// As played: of the strokes of a drum (or of all, with note -1) in another pattern. Places with fewer than
/// three strokes say nothing.
[[nodiscard]] Feel feelOf(const Pattern& pattern, int note = -1);

/// Strokes stray by no more than twice the spread, by chance of the seed and their number; none passes
/// another of its drum, and none leaves its bar at the beginning.
[[nodiscard]] Pattern humanised(Pattern pattern, const Feel& feel, std::uint64_t seed);
/// Every second stroke of a drum on the grid of eighths or sixteenths is softer by so much.
[[nodiscard]] Pattern alternated(Pattern pattern, int note, double softerDb);
/// Ghosts (see ghostsOf) at so much under the drum's accents.
[[nodiscard]] Pattern withGhostsAt(Pattern pattern, int note, double underDb);
/// Without the closed hats that stand under open ones.
[[nodiscard]] Pattern withoutClosedUnderOpen(Pattern pattern, const std::vector<MappedNote>& map);
/// In every Nth bar the second half is that of the bar that has most strokes of snare and toms in it: the
/// pattern's own fill. As it is where no bar has more there than the middle one.
[[nodiscard]] Pattern withFillEvery(Pattern pattern, int everyBars, const std::vector<MappedNote>& map);

/// The soft strokes of a drum, where they are a group of their own: under the widest gap between velocities,
/// at least kGhostGapDb wide, and no more than two of three strokes. Indices; none where there is no such
/// group.
inline constexpr double kGhostGapDb = 5;
[[nodiscard]] std::vector<int> ghostsOf(const Pattern& pattern, int note);

} // namespace cask::layers
