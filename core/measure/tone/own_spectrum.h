// Spectra of a drum's own hits, of what leaks into its microphone, and of the noise between.
#pragma once

#include <core/measure/spectrum.h>
#include <core/measure/tone/own_hits.h>
#include <functional>
#include <span>
#include <vector>

namespace cask::measure {

/// What one other drum leaves in the microphone.
struct DrumSpill {
    int drum = 0;
    Spectrum spectrum;
    int hits = 0;
};

/// Mean power over hits, dB against a full-scale sine in the band; channels summed by power. Every window is
/// read as if its power were steady through it, so that short and long ones compare.
struct ToneSpectra {
    Spectrum own;                   ///< from the onset as long as it is clear, at most 300 ms
    Spectrum attack;                ///< the first 20 ms
    Spectrum decay;                 ///< 30 to 300 ms
    Spectrum spill;                 ///< hits of other drums, likewise at most 300 ms
    std::vector<DrumSpill> spillOf; ///< the same, drum by drum; most hits first
    Spectrum noise; ///< where nothing was struck for a while: the quietest tenth of such windows
    int ownHits = 0;
    int spillHits = 0;
};

[[nodiscard]] ToneSpectra measureToneSpectra(const HitMaterial& material);
/// Of these hits alone, as ToneSpectra::own is.
[[nodiscard]] Spectrum meanSpectrum(const HitMaterial& material, std::span<const ClearHit> hits);

/// Change of a spectrum's energy by filters whose magnitude at a frequency is `responseDb`, dB; 0 for an
/// empty spectrum.
[[nodiscard]] double energyChangeDb(const Spectrum& spectrum,
                                    const std::function<double(double hz)>& responseDb);

} // namespace cask::measure
