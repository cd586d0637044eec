// Which drum a group of strokes without a microphone is, from how it sounds where all is heard.
#pragma once

#include <core/measure/hits/patterns.h>
#include <vector>

namespace cask::measure {

/// The drum that each stroke is one of, [moment][stroke of the moment]; mostly that under which it was found.
/// A group found for one name may turn out to be another's: what falls fast in the highs is a hat, whatever
/// it was taken for; what has no highs is a tom, and that of a tom whose microphone stands out when nothing
/// else explains it. A stroke of metal that is heard to fall by itself goes by its own fall.
[[nodiscard]] std::vector<std::vector<int>> nameStrokes(const KitModel& kit,
                                                        const std::vector<TrailChannel>& channels,
                                                        const std::vector<Moment>& moments,
                                                        const std::vector<std::vector<Stroke>>& strokes);

} // namespace cask::measure
