// The compressor, upward compressor and upward expander.
#pragma once

#include <fmt/format.h>

#include <core/dsp/compressor_settings.h>
#include <core/session/kinds/gate.h>
#include <string>

namespace cask::session {

template <> struct KindOf<dsp::CompressorSettings> {
    using S = dsp::CompressorSettings;
    static constexpr std::string_view id = "compressor"; // stored: do not change
    static constexpr std::string_view words = "compressor";
    static constexpr Stage stage = Stage::Punch;
    static constexpr bool hearsKey = true;
    static constexpr KeyTap keyTap = KeyTap::Chain; // so that ducking does not follow spill
    static constexpr ChainPlace place(int) { return ChainPlace::Dynamics; }

    static std::string cell(const S& s) {
        if (s.direction != dsp::CompressorDirection::Down)
            return s.direction == dsp::CompressorDirection::Up ? "up" : "expand";
        if (s.ratio >= dsp::kInfiniteRatio)
            return "\u221e:1";
        return fmt::format("{:.3g}:1", s.ratio);
    }

    // Stored names in the order of the enumerations: do not change.
    static constexpr std::array<std::string_view, 2> kReleases = {"fixed", "programme"};
    static constexpr std::array<std::string_view, 2> kReleaseWords = {"fixed", "programme-dependent"};
    static constexpr std::array<std::string_view, 2> kDetectors = {"peak", "rms"};
    static constexpr std::array<std::string_view, 2> kDetectorWords = {"peak", "RMS"};
    static constexpr std::array<std::string_view, 3> kChannels = {"both", "mid", "side"};
    static constexpr std::array<std::string_view, 3> kChannelWords = {"both", "mid", "side"};
    static constexpr std::array<std::string_view, 3> kDirections = {"down", "up", "expand"};
    static constexpr std::array<std::string_view, 3> kDirectionWords = {"downward", "upward",
                                                                        "upward expander"};

    static constexpr std::array<std::string_view, 2> kCharacters = {"clean", "grab"};
    static constexpr std::array<std::string_view, 2> kCharacterWords = {"clean", "grab"};
    static constexpr std::array<std::string_view, 2> kMakeups = {"fixed", "matched"};
    static constexpr std::array<std::string_view, 2> kMakeupWords = {"fixed", "matched to the take"};
    static constexpr auto& kBands = KindOf<dsp::GateSettings>::kReaches;
    static constexpr auto& kBandWords = KindOf<dsp::GateSettings>::kReachWords;

    static constexpr std::array fields = {
        choice<&S::direction>("direction", "direction", kDirections, kDirectionWords,
                              "Downward lowers what is over the threshold, upward raises what is under it, "
                              "an upward expander raises what is over it."),
        gliding(number<&S::thresholdDb>("threshold_db", "threshold", Unit::Decibel, {-80, 0, -20}, 0.5,
                                        "Level of the detector at which it begins, dBFS.")),
        withMostAs(
            "infinite",
            gliding(number<&S::ratio>(
                "ratio", "ratio", Unit::Ratio, {1.1, dsp::kInfiniteRatio, 4}, 0.1,
                "Change of level before to change of level after; up to 20 and infinite are usual. As an "
                "expander so many dB out for each dB in.",
                Scale::Logarithmic))),
        gliding(number<&S::kneeDb>("knee_db", "knee", Unit::DecibelSpan, {0, 24, 6}, 0.5,
                                   "Width of the bend around the threshold.")),
        gliding(number<&S::attackMs>("attack_ms", "attack", Unit::Milliseconds, {0.02, 200, 20}, 0.05,
                                     "Time for 63 % of the change of gain once the level has risen.",
                                     Scale::Logarithmic)),
        gliding(number<&S::releaseMs>("release_ms", "release", Unit::Milliseconds, {5, 2000, 120}, 0.05,
                                      "Time for 63 % of the change of gain once the level has fallen.",
                                      Scale::Logarithmic)),
        choice<&S::release>("release", "release law", kReleases, kReleaseWords,
                            "Programme-dependent: as set after a hit, up to six times slower after a long "
                            "loud stretch."),
        choice<&S::detector>("detector", "detector", kDetectors, kDetectorWords,
                             "Level that is compared with the threshold: the greatest value of a short "
                             "window, or its RMS (3 dB lower on a sine)."),
        number<&S::windowMs>("window_ms", "detector length", Unit::Milliseconds, {0.5, 50, 8}, 0.5,
                             "Length of that window; of a peak at most a fifth of the release."),
        number<&S::lookAheadMs>(
            "look_ahead_ms", "look-ahead", Unit::Milliseconds, {0, 10, 0}, 0.1,
            "Delay of the sound against the detector; everything else is delayed to match."),
        number<&S::lowCutHz>("low_cut_hz", "detector low cut", Unit::Hertz, {10, 10000, 10}, 0.02,
                             "High-pass of the detector, so that lows do not drive it; off at 10 Hz.",
                             Scale::Logarithmic),
        number<&S::highCutHz>("high_cut_hz", "detector high cut", Unit::Hertz, {40, 20000, 20000}, 0.02,
                              "Low-pass of the detector; off at 20 kHz.", Scale::Logarithmic),
        Field<S>{{"cut_slope_db_per_oct",
                  "slope of the cuts",
                  ParameterKind::Number,
                  Unit::DecibelPerOctave,
                  6,
                  48,
                  12,
                  Scale::Linear,
                  6,
                  {},
                  "Of both detector cuts, in steps of 6 dB per octave."},
                 [](const S& s) { return s.cutSlopeDbPerOct; },
                 [](S& s, double v) { s.cutSlopeDbPerOct = 6 * std::round(v / 6); }},
        gliding(number<&S::rangeDb>("range_db", "range", Unit::DecibelSpan, {0, 80, 80}, 1,
                                    "The gain changes by no more than this.")),
        gliding(number<&S::mixPercent>("mix_percent", "mix", Unit::Percent, {0, 100, 100}, 5,
                                       "Share of the compressed sound; the rest is the sound as it came.")),
        gliding(number<&S::linkPercent>("link_percent", "stereo link", Unit::Percent, {0, 100, 100}, 5,
                                        "How far the quieter side of a pair follows the level of the louder "
                                        "one, in dB.")),
        choice<&S::channels>("channels", "channels", kChannels, kChannelWords,
                             "Of a pair: what it hears and acts on."),
        choice<&S::character>("character", "character", kCharacters, kCharacterWords,
                              "Clean keeps to the law; grab takes a hit up to 1.6 times as far and lets go "
                              "of it while it sounds."),
        choice<&S::reach>(
            "band", "acts on", kBands, kBandWords,
            "Which part of the sound it hears and acts on, where that is both sides; the rest passes "
            "untouched."),
        number<&S::fromHz>("from_hz", "from", Unit::Hertz, {40, 18000, 3000}, 0.02,
                           "Corner of what lies above it, or the lower of two.", Scale::Logarithmic),
        number<&S::toHz>("to_hz", "to", Unit::Hertz, {40, 18000, 8000}, 0.02,
                         "Corner of what lies below it, or the upper of two.", Scale::Logarithmic),
        choice<&S::makeup>(
            "makeup", "make-up is", kMakeups, kMakeupWords,
            "Fixed: as it is set. Matched: it was measured so that the whole comes out as loud "
            "as it goes in; a finding says when it no longer does."),
        gliding(number<&S::makeupDb>("makeup_db", "make-up", Unit::Decibel, {-24, 24, 0}, 0.5,
                                     "Gain of the compressed sound.")),
        onOff<&S::isSoftClipped>("soft_clip", "soft clip",
                                 "What comes out bends from 6 dB under the clip ceiling on and never passes "
                                 "it; it makes the sound a little later."),
        gliding(number<&S::clipDb>("clip_db", "clip ceiling", Unit::Decibel, {-40, 0, -1}, 0.5,
                                   "Ceiling of the soft clip, dBFS.")),
    };
};

} // namespace cask::session
