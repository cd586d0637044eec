// The curves of what bends a sound, as they are drawn: of a steady value, without filters.
#pragma once

#include <core/dsp/body.h>
#include <core/dsp/clipper.h>
#include <core/dsp/crush.h>
#include <core/dsp/saturation_settings.h>

namespace cask::dsp {

/// What comes out for a value that stays (full scale is 1), mixed, without the output's gain. Tape is drawn
/// as quick sound finds it: what it remembers is at rest.
[[nodiscard]] double driveCurve(const SaturationSettings& settings, double x);
[[nodiscard]] double driveCurve(const ClipperSettings& settings, double x);
[[nodiscard]] double driveCurve(const CrushSettings& settings, double x);
/// Of the resonance alone.
[[nodiscard]] double driveCurve(const BodySettings& settings, double x);

} // namespace cask::dsp
