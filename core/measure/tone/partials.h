// What of a drum sounds at one frequency: its fundamental, overtones, and rings that outlast the rest.
#pragma once

#include <core/base/role.h>
#include <core/measure/tone/own_hits.h>
#include <string>
#include <vector>

namespace cask::measure {

struct Partial {
    double hz = 0;
    double levelDb = 0; ///< against the strongest partial, over the decay (30 to 300 ms)
    double decayMs = 0; ///< to fall by 60 dB; 0 when it can't be told
};

/// The lowest strong partial of the decay.
struct Fundamental {
    double hz = 0; ///< 0: none
    double decayMs = 0;
    double confidence = 0; ///< 0 to 1: how far it stands out, and on how many hits it is there
};

/// A partial that outlasts its surroundings, or stands out of them by far.
struct Ring {
    double hz = 0;
    double decayMs = 0;  ///< to fall by 60 dB
    double aroundMs = 0; ///< median of the surroundings: an octave to either side
    double excessDb = 0; ///< level from 100 ms on over the median of half an octave to either side
    int hits = 0;        ///< on which it is heard
    int hitsLookedAt = 0;
    std::vector<double> aroundHz; ///< the surroundings (surroundingsOf)
    // Of the sound from 30 to 300 ms after the hits:
    double outDb = 0;   ///< over the median of half an octave to either side
    double levelDb = 0; ///< against the strongest partial
    double crowdDb = 0; ///< the same (soreDb) of the third of the other partials
    /// How much it is heard: what stands out, and is not far softer than the drum's note.
    [[nodiscard]] double soreDb() const { return outDb + levelDb / 2; }
};

struct Partials {
    Fundamental fundamental;
    std::vector<Partial> partials; ///< by frequency
    std::vector<Ring> rings;       ///< worst first
    int hits = 0;                  ///< looked at
};

/// Where the fundamental of a role lies, Hz.
struct HzRange {
    double low = 30;
    double high = 500;
};
[[nodiscard]] HzRange fundamentalRange(Role role);

/// The hits that partials are looked for in: those that nothing at all disturbs, if there are enough long
/// ones; else those that soft spill disturbs.
[[nodiscard]] std::vector<ClearHit> hitsToLookAt(const HitMaterial& material);

/// From those hits of the material. Nothing with fewer than two of them.
[[nodiscard]] Partials measurePartials(const HitMaterial& material, HzRange fundamental);

/// A note name in equal temperament with A4 at 440 Hz, and how far off: "A1" and -12 cents.
struct Note {
    std::string name;
    double cents = 0;
};
[[nodiscard]] Note nearestNote(double hz);

} // namespace cask::measure
