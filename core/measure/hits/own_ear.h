// The trained part of telling a drum's own strokes from spill and tails: a second opinion on what the
// patterns found.
#pragma once

#include <core/measure/hits/own_looks.h>
#include <core/measure/hits/stroke_net.h>

namespace cask::measure {

/// Several pairs of nets: the second of each hears both looks.
struct OwnEar {
    std::vector<StrokeNet> first;
    std::vector<StrokeNet> second;
    [[nodiscard]] std::vector<float> shares(const OwnLooks& looks, const KitModel& kit,
                                            const std::vector<Moment>& moments,
                                            const ParallelFor& parallel = oneByOne) const;
};
/// Both looks side by side, as the second nets hear them; `shares` are those of the first.
[[nodiscard]] std::vector<float> bothOwnLooks(const OwnLooks& looks, std::span<const float> shares,
                                              const KitModel& kit, const std::vector<Moment>& moments);

/// Gives each rise in a drum's own microphone to the drum or takes it away, as the nets hear it. Strokes of
/// drums without a microphone stay.
void hearOwn(const OwnEar& ear, const OwnLooks& looks, const Patterns& patterns,
             const std::vector<Moment>& moments, std::vector<std::vector<Stroke>>& strokes,
             const ParallelFor& parallel = oneByOne);

/// The one that ships (resources/ear), made by bench/teach_own_ear.
[[nodiscard]] const OwnEar& shippedOwnEar();

} // namespace cask::measure
