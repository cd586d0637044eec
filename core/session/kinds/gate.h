// The gate and expander.
#pragma once

#include <core/session/kind_of.h>

namespace cask::session {

template <> struct KindOf<dsp::GateSettings> {
    using S = dsp::GateSettings;
    static constexpr std::string_view id = "gate"; // stored: do not change
    static constexpr std::string_view words = "gate";
    static constexpr Stage stage = Stage::Clean;
    static constexpr bool hearsKey = true;
    static constexpr ChainPlace place(int) { return ChainPlace::Gate; }

    // Stored names in the order of the enumerations: do not change.
    static constexpr std::array<std::string_view, 2> kDetectors = {"peak", "rms"};
    static constexpr std::array<std::string_view, 2> kDetectorWords = {"peak", "RMS"};
    static constexpr std::array<std::string_view, 3> kCurves = {"even", "straight", "quick"};
    static constexpr std::array<std::string_view, 3> kCurveWords = {"linear in dB", "linear", "fast start"};
    static constexpr std::array<std::string_view, 3> kOlderCurveWords = {"even in dB", "straight line",
                                                                         "quick at first"};
    static constexpr std::array<std::string_view, 4> kReaches = {"all", "above", "below", "between"};
    static constexpr std::array<std::string_view, 4> kReachWords = {"all", "above a corner", "below a corner",
                                                                    "between two"};
    static constexpr std::array<std::string_view, 4> kOlderReachWords = {"everything", "above a corner",
                                                                         "below a corner", "between two"};

    static constexpr std::array fields = {
        gliding(number<&S::openDb>("open_db", "opens at", Unit::Decibel, {-90, 0, -40}, 0.5,
                                   "Level of the detector from which the gate opens, dBFS.")),
        gliding(
            number<&S::closeDb>("close_db", "closes at", Unit::Decibel, {-96, 0, -46}, 0.5,
                                "Level under which it begins to close; the gap keeps the natural decay.")),
        withMostAs(
            "20 : 1 (hard)",
            gliding(number<&S::ratio>(
                "ratio", "ratio", Unit::Ratio, {1, dsp::kHardRatio, dsp::kHardRatio}, 0.1,
                "Closed, the sound falls by so many dB for each dB under the threshold; 20 is a gate that is "
                "open or closed.",
                Scale::Logarithmic))),
        gliding(number<&S::floorDb>("floor_db", "floor", Unit::Decibel, {dsp::kSilentFloorDb, 0, -24}, 1,
                                    "Gain while closed; -90 dB is silence.")),
        gliding(number<&S::liftDb>("lift_db", "open gain", Unit::Decibel, {0, 18, 0}, 0.5,
                                   "Gain while open; with a floor of 0 dB it raises the hits.")),
        gliding(number<&S::attackMs>("attack_ms", "attack", Unit::Milliseconds, {0, 50, 1}, 0.1,
                                     "From closed to open, along an S.")),
        gliding(number<&S::holdMs>("hold_ms", "hold", Unit::Milliseconds, {0, 2000, 30}, 5,
                                   "Time under the closing level before the gain falls.")),
        gliding(number<&S::releaseMs>("release_ms", "release", Unit::Milliseconds, {1, 4000, 90}, 0.05,
                                      "From open to closed.", Scale::Logarithmic)),
        choice<&S::releaseCurve>("release_curve", "release curve", kCurves, kCurveWords,
                                 "How the gain falls.", kOlderCurveWords),
        number<&S::lookAheadMs>(
            "look_ahead_ms", "look-ahead", Unit::Milliseconds, {0, 20, 2}, 0.1,
            "Delay of the sound against the detector; everything else is delayed to match."),
        onOff<&S::isInverted>("inverted", "inverted", "Passes what is between the hits."),
        choice<&S::detector>("detector", "detector", kDetectors, kDetectorWords,
                             "Level that is compared with the threshold: peak or RMS of a short window."),
        number<&S::windowMs>("window_ms", "detector length", Unit::Milliseconds, {0.5, 50, 8}, 0.5,
                             "Length of that window; half a period of the lowest tone or more."),
        number<&S::lowCutHz>("low_cut_hz", "detector low cut", Unit::Hertz, {10, 10000, 10}, 0.02,
                             "High-pass of the detector; off at 10 Hz.", Scale::Logarithmic),
        number<&S::highCutHz>("high_cut_hz", "detector high cut", Unit::Hertz, {40, 20000, 20000}, 0.02,
                              "Low-pass of the detector; off at 20 kHz.", Scale::Logarithmic),
        Field<S>{{"cut_slope_db_per_oct",
                  "slope of the cuts",
                  ParameterKind::Number,
                  Unit::DecibelPerOctave,
                  6,
                  48,
                  24,
                  Scale::Linear,
                  6,
                  {},
                  "Of both detector cuts, in steps of 6 dB per octave."},
                 [](const S& g) { return g.cutSlopeDbPerOct; },
                 [](S& g, double v) { g.cutSlopeDbPerOct = 6 * std::round(v / 6); }},
        choice<&S::reach>("reach", "band", kReaches, kReachWords,
                          "Part of the spectrum that is gated; the rest passes.", kOlderReachWords),
        number<&S::fromHz>("from_hz", "from", Unit::Hertz, {30, 16000, 3000}, 0.02,
                           "Lower corner of the band.", Scale::Logarithmic),
        number<&S::toHz>("to_hz", "to", Unit::Hertz, {30, 18000, 8000}, 0.02, "Upper corner of the band.",
                         Scale::Logarithmic),
    };
};

} // namespace cask::session
