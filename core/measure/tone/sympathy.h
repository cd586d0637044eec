// A drum that hums along when others are struck.
#pragma once

#include <core/measure/hits/hit_material.h>
#include <core/measure/tone/partials.h>

namespace cask::measure {

/// How a drum sounds on after the hits of other drums, in its own microphone.
struct Sympathy {
    double hz = 0;             ///< at which it hums; 0: it does not
    double decayMs = 0;        ///< of the hum, to fall by 60 dB
    int hits = 0;              ///< hits of other drums after which it is heard
    int hitsLookedAt = 0;      ///< long enough and long after any own hit
    double levelDb = 0;        ///< median there, against own hits at the same time after them
    bool isLevelKnown = false; ///< else no own hit is heard long enough, and levelDb is what is likely
    double shareOfLows = 0; ///< of the power in the microphone at those times under 200 Hz or half an octave
                            ///< over it, 0 to 1
};

/// Looks 100 to 400 ms after the hits of other drums for a tone within `range` that stands out on at least
/// half of them and dies away slowly, as a struck drum rings; where there are several, the strongest. It need
/// not be the note of the own hits: a head hums as it is tuned, a hit bends it. Nothing is found with fewer
/// than four such hits, nor where it is not most of the lows that are heard there.
[[nodiscard]] Sympathy measureSympathy(const HitMaterial& material, HzRange range);

} // namespace cask::measure
