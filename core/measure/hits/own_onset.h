// Where a drum's own stroke begins in its own microphone, once it is known which drums were struck.
#pragma once

#include <core/measure/hits/arrivals.h>

namespace cask::measure {

/// What else is known of a stroke.
struct StrokeKind {
    bool isAlone = false; ///< no other drum was struck with it
    bool isMetal = false; ///< hat or cymbal
    bool isSnare = false;
};

/// Time in the file, s. `arrival`: the rise as it was found, which may be late where a stroke rises slowly
/// and early where another drum's spill came first. A snare that is alone begins where its highs rise out of
/// the ring before it, if that is up to 6 ms earlier; a hat or snare that others were struck with where it
/// jumps out of what they left there, if it does within 9 ms. All else begins as found.
[[nodiscard]] double ownOnsetS(std::span<const BandTrail* const> channels, const Arrival& arrival,
                               StrokeKind kind);

} // namespace cask::measure
