// Which drum a group of strokes without a microphone is, from how it sounds where all is heard.
#pragma once

#include <core/measure/hits/patterns.h>
#include <vector>

namespace cask::measure {

/// By drum: the drum that its strokes are those of, mostly itself. Groups that were found for one name may
/// turn out to be another's: what falls fast in the highs is a hat, whatever it was taken for; what has no
/// highs is a tom, and that of a tom whose microphone stands out when nothing else explains it.
[[nodiscard]] std::vector<int> nameUnmikedDrums(const KitModel& kit, const std::vector<TrailChannel>& channels,
                                                const std::vector<Moment>& moments,
                                                const std::vector<std::vector<Stroke>>& strokes);

} // namespace cask::measure
