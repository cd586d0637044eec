// What a gain edge splatters.
#pragma once

#include <core/measure/gate/gate_judge.h>
#include <span>

namespace cask::measure {

/// Filters above 4 kHz (second-order Butterworth) once after and once before the gain: while the gain stands
/// still the two are equal, so the energy of their difference around an opening is what the edge adds. Fills
/// `clickDb` where it also exceeds what was there above 4 kHz. `gain` by frame of the detector; the sound
/// waits `late` frames for it.
void measureClicks(std::span<const float> sound, const std::vector<float>& gain, std::size_t late,
                   const HitMaterial& material, GateReport& report);

} // namespace cask::measure
