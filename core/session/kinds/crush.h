// Crush: fewer bits, a lower rate.
#pragma once

#include <core/dsp/crush.h>
#include <core/session/kind_of.h>

namespace cask::session {

template <> struct KindOf<dsp::CrushSettings> {
    using S = dsp::CrushSettings;
    static constexpr std::string_view id = "crush"; // stored: do not change
    static constexpr std::string_view words = "crush";
    static constexpr Stage stage = Stage::Drive;
    static constexpr bool hearsKey = false;
    static constexpr ChainPlace place(int) { return ChainPlace::Colour; }

    static constexpr std::array fields = {
        withMostAs("off", Field<S>{{"bits",
                                    "bits",
                                    ParameterKind::Number,
                                    Unit::None,
                                    1,
                                    S::kMostBits,
                                    12,
                                    Scale::Linear,
                                    1,
                                    {},
                                    "Depth to which the sound is rounded, in whole bits; off at 24."},
                                   [](const S& s) { return s.bits; },
                                   [](S& s, double v) { s.bits = std::round(v); }}),
        onOff<&S::isDithered>("dither", "dither",
                              "Noise before the rounding: a steady hiss instead of a tone of its own."),
        withMostAs("off", number<&S::rateHz>(
                              "rate_hz", "rate", Unit::Hertz, {500, S::kMostRateHz, S::kMostRateHz}, 0.02,
                              "Rate at which samples are held; off at 96 kHz.", Scale::Logarithmic)),
        onOff<&S::isFiltered>("filter", "filter",
                              "Low-pass before and after the holding. Without it what lies above half the "
                              "rate folds back on purpose."),
        gliding(number<&S::mixPercent>("mix_percent", "mix", Unit::Percent, {0, 100, 100}, 1,
                                       "Share of the crushed sound; the rest is the sound as it came.")),
    };
};

} // namespace cask::session
