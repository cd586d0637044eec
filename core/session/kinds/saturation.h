// The saturation.
#pragma once

#include <core/dsp/saturation_settings.h>
#include <core/session/kind_of.h>

namespace cask::session {

template <> struct KindOf<dsp::SaturationSettings> {
    using S = dsp::SaturationSettings;
    static constexpr std::string_view id = "saturation"; // stored: do not change
    static constexpr std::string_view words = "saturation";
    static constexpr Stage stage = Stage::Drive;
    static constexpr bool hearsKey = false;
    static constexpr ChainPlace place(int) { return ChainPlace::Colour; }

    // Stored names in the order of the enumeration: do not change.
    static constexpr std::array<std::string_view, 3> kFactors = {"2", "4", "8"};
    static constexpr std::array<std::string_view, 3> kFactorWords = {"2 times", "4 times", "8 times"};

    static constexpr std::array<std::string_view, 4> kShapes = {"soft", "warm", "hard", "fold"};

    static constexpr std::array fields = {
        choice<&S::shape>(
            "shape", "shape", kShapes, kShapes,
            "Soft: odd harmonics alone. Warm: one side gives way sooner, even and odd. Hard: cut "
            "off at a corner. Fold: what goes past the top comes back."),
        gliding(number<&S::driveDb>(
            "drive_db", "drive", Unit::DecibelSpan, {0, 36, 6}, 0.5,
            "How far into the curve the sound is driven; quiet sound stays as it is, and at 0 "
            "every bit stays.")),
        gliding(number<&S::bias>("bias", "bias", Unit::None, {-0.75, 0.75, 0}, 0.01,
                                 "Moves the sound along the curve: even harmonics. What it shifts is taken "
                                 "out again below 5 Hz.")),
        gliding(number<&S::mixPercent>("mix_percent", "mix", Unit::Percent, {0, 100, 100}, 1,
                                       "Share of the saturated sound; the rest is the sound as it came.")),
        gliding(number<&S::outputDb>("output_db", "output", Unit::Decibel, {-24, 24, 0}, 0.5,
                                     "Level of all of it afterwards.")),
        withStandard(1, choice<&S::oversampling>("oversampling", "oversampling", kFactors, kFactorWords,
                                                 "How many times the rate the curve works at: the more, the "
                                                 "less of the new tones folds back; it makes "
                                                 "the sound a little later.")),
    };
};

} // namespace cask::session
