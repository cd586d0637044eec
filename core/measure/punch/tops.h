// Whether a source was limited or saturated before it came here, from the tops of its accents.
#pragma once

#include <core/base/role.h>
#include <core/measure/hits/hit_material.h>

namespace cask::measure {

/// Medians over the louder half of own hits.
struct HitTops {
    int hits = 0;
    double crestDb = 0; ///< greatest sample over the RMS of the first 50 ms
    /// Of the time for which the half wave with the greatest sample is over half of it, the share that is
    /// within 1 dB of it: 0.45 of a sine, 1 of a wave whose tops were cut off.
    double flatShare = 0;
    /// Milliseconds for which the greatest sample of a millisecond stays within 1.5 dB of the loudest one.
    double heldMs = 0;
};
[[nodiscard]] HitTops measureTops(const HitMaterial& material);
/// Whether the tops were held before. Limits by sampled drums as they were recorded, and the same through a
/// limiter, a saturation and a clipper (docs/measured.md). Of kicks, which hold their tops by themselves,
/// only flat ones are told: a limited kick is not.
[[nodiscard]] bool areHeld(const HitTops& tops, Role role);

} // namespace cask::measure
