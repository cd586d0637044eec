// One element as gates and tone measures see it: its sound, what a detector hears, and its hits.
#pragma once

#include <algorithm>
#include <core/measure/hits/kit_hits.h>
#include <span>
#include <string>
#include <vector>

namespace cask::measure {

/// A hit as the element's microphone hears it.
struct MaterialHit {
    double timeS = 0; ///< onset, session time
    bool isOwn = false;
    HitClass hitClass = HitClass::Normal; ///< of own hits
    int drum = -1;                        ///< that made it
    double levelDb = 0;
};

/// A stretch of time, session time.
struct MaterialStretch {
    std::string name;
    double startS = 0;
    double endS = 0;
};

/// Whether a time lies in one of them.
[[nodiscard]] inline bool isWithin(std::span<const MaterialStretch> stretches, double timeS) {
    return std::any_of(stretches.begin(), stretches.end(),
                       [&](const auto& s) { return timeS >= s.startS && timeS < s.endS; });
}

struct HitMaterial {
    double rateHz = 48000;
    double startS = 0;                     ///< session time of the first frame
    std::vector<std::vector<float>> sound; ///< one or two channels, as it enters its chain
    std::vector<std::vector<float>> key;   ///< of the same length; empty: the sound itself
    std::vector<MaterialHit> hits;         ///< by time
    std::vector<MaterialStretch> sections;
    std::vector<double> beatsS; ///< quarter notes of the take, session time; empty: not known
    [[nodiscard]] std::size_t frames() const { return sound.empty() ? 0 : sound.front().size(); }
    [[nodiscard]] double endS() const { return startS + static_cast<double>(frames()) / rateHz; }
};

/// The hits of one input. Spill is a hit of a drum without own hit within 20 ms.
[[nodiscard]] std::vector<MaterialHit> materialHitsOf(const KitHits& hits, int input);

/// What the gate's times should follow. Medians over own hits where no other hit comes too soon.
struct HitNature {
    int hits = 0;       ///< looked at
    double riseMs = 0;  ///< from 10 % to 90 % of the peak
    double peakMs = 0;  ///< from the onset to the peak
    double decayMs = 0; ///< from the peak to 20 dB under it
    [[nodiscard]] double ownMs() const {
        return 2 * decayMs;
    }                     ///< until it is 40 dB down: all before is its own
    double toSpillMs = 0; ///< from an own hit to the next hit of another drum
};
[[nodiscard]] HitNature measureNature(const HitMaterial& material);

} // namespace cask::measure
