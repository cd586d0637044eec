// The saturation.
#pragma once

#include <core/dsp/saturation_settings.h>
#include <core/session/kinds/gate.h>

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

    static constexpr std::array<std::string_view, 5> kShapes = {"soft", "warm", "tape", "hard", "fold"};
    static constexpr std::array<std::string_view, 2> kOutputs = {"fixed", "matched"};
    static constexpr std::array<std::string_view, 2> kOutputWords = {"fixed", "matched to the take"};
    static constexpr std::array<std::string_view, 2> kDynamics = {"follows", "stays"};
    static constexpr std::array<std::string_view, 2> kDynamicsWords = {"follows the level", "stays"};
    static constexpr auto& kBands = KindOf<dsp::GateSettings>::kReaches;
    static constexpr auto& kBandWords = KindOf<dsp::GateSettings>::kReachWords;

    static constexpr std::array fields = {
        choice<&S::shape>(
            "shape", "shape", kShapes, kShapes,
            "Soft: odd harmonics alone. Warm: one side gives way sooner, even and odd. Tape: highs give way "
            "sooner, and what came before moves the curve. Hard: cut off at a corner. Fold: what goes past "
            "the top comes back."),
        gliding(number<&S::driveDb>(
            "drive_db", "drive", Unit::DecibelSpan, {0, 36, 6}, 0.5,
            "How far into the curve the sound is driven; quiet sound stays as it is, and at 0 "
            "every bit stays.")),
        gliding(number<&S::bias>("bias", "bias", Unit::None, {-0.75, 0.75, 0}, 0.01,
                                 "Moves the sound along the curve: even harmonics. What it shifts is taken "
                                 "out again below 5 Hz.")),
        gliding(number<&S::mixPercent>("mix_percent", "mix", Unit::Percent, {0, 100, 100}, 1,
                                       "Share of the saturated sound; the rest is the sound as it came.")),
        choice<&S::output>(
            "output", "output is", kOutputs, kOutputWords,
            "Fixed: as it is set. Matched: it was measured so that the whole comes out as loud "
            "as it goes in; a finding says when it no longer does."),
        gliding(number<&S::outputDb>("output_db", "output", Unit::Decibel, {-24, 24, 0}, 0.5,
                                     "Level of all of it afterwards.")),
        withStandard(1, choice<&S::oversampling>("oversampling", "oversampling", kFactors, kFactorWords,
                                                 "How many times the rate the curve works at: the more, the "
                                                 "less of the new tones folds back; it makes "
                                                 "the sound a little later.")),
        choice<&S::dynamics>("dynamics", "dynamics", kDynamics, kDynamicsWords,
                             "Follows the level: loud hits are bent more than soft ones. Stays: each is bent "
                             "like one of -12 dBFS, and keeps its level."),
        choice<&S::band>("band", "acts on", kBands, kBandWords,
                         "Which part of the sound is bent; the rest passes untouched."),
        number<&S::fromHz>("from_hz", "from", Unit::Hertz, {40, 18000, 150}, 0.02,
                           "Corner of what lies above it, or the lower of two; 24 dB per octave.",
                           Scale::Logarithmic),
        number<&S::toHz>("to_hz", "to", Unit::Hertz, {40, 18000, 5000}, 0.02,
                         "Corner of what lies below it, or the upper of two; 24 dB per octave.",
                         Scale::Logarithmic),
        number<&S::beforeTiltDb>("before_tilt_db", "tilt before", Unit::Decibel, {-12, 12, 0}, 0.5,
                                 "Of what is bent, before the curve: above 700 Hz so much more, below so "
                                 "much less."),
        number<&S::beforeLowCutHz>("before_low_cut_hz", "low cut before", Unit::Hertz,
                                   {S::kLeastCutHz, 10000, S::kLeastCutHz}, 0.02,
                                   "12 dB per octave, before the curve; off at 10 Hz.", Scale::Logarithmic),
        number<&S::beforeHighCutHz>("before_high_cut_hz", "high cut before", Unit::Hertz,
                                    {100, S::kMostCutHz, S::kMostCutHz}, 0.02,
                                    "12 dB per octave, before the curve; off at 20 kHz.", Scale::Logarithmic),
        number<&S::afterTiltDb>("after_tilt_db", "tilt after", Unit::Decibel, {-12, 12, 0}, 0.5,
                                "Of what comes from the curve: above 700 Hz so much more, below so much "
                                "less."),
        number<&S::afterLowCutHz>("after_low_cut_hz", "low cut after", Unit::Hertz,
                                  {S::kLeastCutHz, 10000, S::kLeastCutHz}, 0.02,
                                  "12 dB per octave, behind the curve; off at 10 Hz.", Scale::Logarithmic),
        number<&S::afterHighCutHz>("after_high_cut_hz", "high cut after", Unit::Hertz,
                                   {100, S::kMostCutHz, S::kMostCutHz}, 0.02,
                                   "12 dB per octave, behind the curve; off at 20 kHz.", Scale::Logarithmic),
    };
};

} // namespace cask::session
