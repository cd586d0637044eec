// Which of an element's hits show how the drum itself sounds.
#pragma once

#include <core/measure/hits/hit_material.h>
#include <vector>

namespace cask::measure {

/// An own hit and how long nothing else is struck after it.
struct ClearHit {
    std::size_t hit = 0; ///< index into the material's hits
    double fromS = 0;    ///< onset from the start of the material
    double lengthS = 0;  ///< until just before the next hit of any drum, at most kLongestS
};

inline constexpr double kLongestClearS = 0.6;

/// The strongest own hits that nothing precedes closely and that ring undisturbed for a while, at most 48, by
/// time. When there are few such, shorter ones count as well: down to 60 ms. Other drums that are softer than
/// the hit by `ignoredDb` in this microphone don't disturb it.
[[nodiscard]] std::vector<ClearHit> clearHits(const HitMaterial& material, double ignoredDb = 200);

/// The same for hits of other drums: no own hit sounds in them. `ownMs`: how long an own hit sounds.
[[nodiscard]] std::vector<ClearHit> clearSpill(const HitMaterial& material, double ownMs,
                                               double ignoredDb = 200);

} // namespace cask::measure
