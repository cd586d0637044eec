// A material behind what bends it: run by the modules' own lanes, so what is measured is what is heard.
#pragma once

#include <core/base/progress.h>
#include <core/dsp/clipper.h>
#include <core/dsp/crush.h>
#include <core/dsp/resonator.h>
#include <core/dsp/saturation.h>
#include <core/measure/hits/hit_material.h>
#include <core/measure/sound.h>
#include <variant>
#include <vector>

namespace cask::measure {

/// What the Drive stage measures.
using DriveSettings =
    std::variant<dsp::SaturationSettings, dsp::ClipperSettings, dsp::CrushSettings, dsp::BodySettings>;

/// The sound behind it, its latency taken out; silence from where it was cancelled.
[[nodiscard]] Sound drivenSound(const HitMaterial& material, const DriveSettings& settings,
                                const CancelToken& cancel = {});

/// What a resonator adds before its own curve bends it: that is what its drive works on.
[[nodiscard]] Sound resonanceOf(const HitMaterial& material, const dsp::BodySettings& settings,
                                const CancelToken& cancel = {});

/// Behind a band of an equaliser that does not move. REQUIRES: at most kLanes channels.
[[nodiscard]] Sound filteredSound(const Sound& sound, const dsp::EqBand& band, double rateHz);

/// A shorter material of some own hits, spread over the take, each from kBeforeS before its onset to kAfterS
/// behind it or to the next one; hits of others that fall into that stay.
struct DriveSample {
    static constexpr double kBeforeS = 0.02;
    static constexpr double kAfterS = 0.4;
};
[[nodiscard]] HitMaterial sampleOf(const HitMaterial& material, int mostHits);

} // namespace cask::measure
