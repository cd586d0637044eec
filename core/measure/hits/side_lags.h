// Pairs of which one side is late or early against the other.
#pragma once

#include <core/measure/hits/kit_model.h>
#include <deque>
#include <vector>

namespace cask::measure {

/// Of the two channels of an input, the one that stands aside.
struct SideLag {
    int side = -1;   ///< 0 left, 1 right; -1: they are in time, as far as sound may take on its way
    double lagS = 0; ///< of that side, against the other
    friend bool operator==(const SideLag&, const SideLag&) = default;
};

/// Looks at each pair (as findFileLags at files): which side is aside is told by the other microphones.
/// Channels that begin at other times, or are found late, are replaced in `inputs` by moved ones in `moved`
/// (whole steps), so that what follows finds both in time.
[[nodiscard]] std::vector<SideLag> alignSides(const KitModel& kit, std::vector<HitInput>& inputs,
                                              std::deque<BandTrail>& moved);

} // namespace cask::measure
