// How loud the band of a move gets on each hit.
#pragma once

#include <core/dsp/eq_settings.h>
#include <core/measure/hits/hit_material.h>
#include <vector>

namespace cask::measure {

/// Greatest level of the band in the 60 ms from each hit's onset, dBFS as a dynamic band hears it; kSilenceDb
/// for hits outside the material. By hit of the material.
[[nodiscard]] std::vector<float> bandLevels(const HitMaterial& material, const dsp::EqBand& band);

/// The same in short, for display and for choosing a threshold.
struct BandHits {
    double ownDb = 0;   ///< median over own hits
    double spillDb = 0; ///< over hits of other drums
    int ownHits = 0;
    int spillHits = 0;
    int ownMoved = 0; ///< hits that take the level past the threshold
    int spillMoved = 0;
};
[[nodiscard]] BandHits bandHits(const HitMaterial& material, const std::vector<float>& levels,
                                const dsp::EqBand& band);

} // namespace cask::measure
