// Where the drums of a kit stand from left to right.
#pragma once

#include <core/base/role.h>
#include <optional>
#include <span>
#include <vector>

namespace cask::measure {

struct PanDrum {
    Role role = Role::Unknown;
    std::optional<double> heardAt; ///< by stereo overheads, -1 to 1
};

struct PanPlace {
    double pan = 0;       ///< -1 to 1, in hundredths
    bool isHeard = false; ///< by the overheads; else by the order of a kit
};

/// Nothing for what has no place of its own. Kick, snare, side-stick and clap stand
/// in the centre. Toms are drawn apart over the whole spread, in the order and at the relations in which the
/// overheads hear them. Hats, rides, crashes and percussion stand where they are heard, drawn apart until the
/// outermost reaches the spread. What the overheads do not part stands as a right-handed kit does: from the
/// audience hats and the first tom on the right, the last tom and the ride on the left; hats that are heard
/// on a side say from where that is, else `isFromDrummer`.
[[nodiscard]] std::vector<std::optional<PanPlace>> findPans(std::span<const PanDrum> drums, double spread,
                                                            bool isFromDrummer);

} // namespace cask::measure
