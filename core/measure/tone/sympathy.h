// A drum that hums along when others are struck.
#pragma once

#include <core/measure/hits/hit_material.h>

namespace cask::measure {

/// How a drum's own note sounds after the hits of other drums, in its own microphone.
struct Sympathy {
    int hits = 0;           ///< hits of other drums after which it is heard
    int hitsLookedAt = 0;   ///< long enough and long after any own hit
    double levelDb = 0;     ///< median there, against the note on own hits
    double shareOfLows = 0; ///< of the power under 200 Hz in the microphone at those times, 0 to 1
};

/// Looks 100 to 400 ms after the hits of other drums for a peak at the drum's fundamental. Nothing is found
/// with fewer than four such hits.
[[nodiscard]] Sympathy measureSympathy(const HitMaterial& material, double fundamentalHz);

} // namespace cask::measure
