// What tells a drum's own strokes from all else in its own microphone: how each rise there sounds beside its
// sure strokes, what the other microphones heard then, and what the patterns make of it.
#pragma once

#include <core/measure/hits/moments.h>

namespace cask::measure {

/// A rise in a drum's own microphone.
struct OwnCandidate {
    int drum = 0;
    std::size_t moment = 0;
    int input = 0; ///< the first of the drum's microphones that heard it
};

inline constexpr std::size_t kRoleGroups = 5; ///< kick, snare, hat, tom, and all others
inline constexpr std::size_t kOwnLook = 7 * kTrailBands + 3 * kRegions + 3 + kRoleGroups * 2 + 14;

/// Candidates of all drums with a microphone, by drum and time, and kOwnLook numbers for each.
struct OwnLooks {
    std::vector<OwnCandidate> candidates;
    std::vector<float> rows;
};

/// By candidate, from the first rows and how sure each was found an own stroke then: how far its bands are
/// from those of the drum's sure strokes and of what surely is none, what is heard a pulse and a bar away,
/// next to it, and of the other drums at the same moment.
inline constexpr std::size_t kSoundNumbers = 2 * kTrailBands;
inline constexpr std::size_t kOwnSecondLook = 2 * (kSoundNumbers + 3) + 7 + kRoleGroups;
[[nodiscard]] std::vector<float> ownSecondLook(const OwnLooks& looks, std::span<const float> shares,
                                               const KitModel& kit, const std::vector<Moment>& moments);

/// `strokes`: those that the patterns found, by moment.
[[nodiscard]] OwnLooks ownLooks(const Patterns& patterns, const std::vector<Moment>& moments,
                                const std::vector<std::vector<Stroke>>& strokes,
                                const std::vector<std::vector<Arrival>>& arrivals,
                                const ParallelFor& parallel = oneByOne);

} // namespace cask::measure
