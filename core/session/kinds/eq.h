// The equaliser with its bands.
#pragma once

#include <core/session/kind_of.h>

namespace cask::session {

template <> struct KindOf<dsp::EqSettings> {
    using S = dsp::EqSettings;
    using Band = dsp::EqBand;
    static constexpr std::string_view id = "eq"; // stored: do not change
    static constexpr std::string_view words = "equaliser";
    static constexpr std::array<std::string_view, 2> placeWords = {"repair", "colour"}; // by ordinal
    static constexpr Stage stage = Stage::Tone;
    static constexpr bool hearsKey = true;
    /// The first mends what is wrong, before the dynamics; the others colour after them.
    static constexpr ChainPlace place(int ordinal) {
        return ordinal == 1 ? ChainPlace::Repair : ChainPlace::Colour;
    }
    static constexpr std::array fields = {
        gliding(number<&S::amountPercent>("amount_percent", "amount", Unit::Percent, {-100, 200, 100}, 5,
                                          "Scales the gain of every band; -100 % turns boosts into cuts.")),
    };

    // Stored names in the order of FilterKind: do not change.
    static constexpr std::array<std::string_view, 8> kFilterKinds = {
        "bell", "low_shelf", "high_shelf", "high_pass", "low_pass", "notch", "band_pass", "tilt"};
    static constexpr std::array<std::string_view, 8> kFilterWords = {
        "bell", "low shelf", "high shelf", "high-pass", "low-pass", "notch", "band-pass", "tilt"};
    // In the order of StereoPart: do not change.
    static constexpr std::array<std::string_view, 3> kParts = {"both", "middle", "side"};
    static constexpr std::array<std::string_view, 3> kPartWords = {"both", "mid", "side"};
    static constexpr std::array<std::string_view, 3> kOlderPartWords = {"both sides", "the middle",
                                                                        "the sides"};

    // In the order of Dynamics: do not change.
    static constexpr std::array<std::string_view, 3> kDynamics = {"none", "above", "below"};
    static constexpr std::array<std::string_view, 3> kDynamicsWords = {"static", "above threshold",
                                                                       "below threshold"};
    static constexpr std::array<std::string_view, 3> kOlderDynamicsWords = {"steady", "when loud",
                                                                            "when soft"};

    static constexpr std::string_view itemsId = "bands"; // stored: do not change
    template <class Eq> static constexpr auto& items(Eq& eq) { return eq.bands; }
    static constexpr std::array itemFields = {
        choice<&Band::kind>("kind", "kind", kFilterKinds, kFilterWords, "Shape of the filter."),
        onOff<&Band::isOn>("on", "on", "Off bypasses the band.", 1),
        gliding(number<&Band::frequencyHz>("frequency_hz", "frequency", Unit::Hertz, {10, 20000, 1000}, 0.02,
                                           "Centre or corner.", Scale::Logarithmic)),
        gliding(number<&Band::gainDb>("gain_db", "gain", Unit::Decibel, {-24, 24, 0}, 0.5, "Boost or cut.")),
        gliding(number<&Band::q>("q", "Q", Unit::Q, {0.1, 200, 1}, 0.05,
                                 "Centre frequency over bandwidth: higher is narrower.", Scale::Logarithmic)),
        Field<Band>{{"slope_db_per_oct",
                     "slope",
                     ParameterKind::Number,
                     Unit::DecibelPerOctave,
                     6,
                     48,
                     24,
                     Scale::Linear,
                     6,
                     {},
                     "Of a high- or low-pass, in steps of 6 dB per octave."},
                    [](const Band& b) { return b.slopeDbPerOct; },
                    [](Band& b, double v) { b.slopeDbPerOct = 6 * std::round(v / 6); }},
        choice<&Band::part>(
            "part", "channels", kParts, kPartWords,
            "Of a stereo sound: left and right alike, the mid (their sum) or the side (their difference).",
            kOlderPartWords),
        choice<&Band::dynamics>("dynamics", "dynamics", kDynamics, kDynamicsWords,
                                "Whether the gain follows the level in the band: a dynamic band.",
                                kOlderDynamicsWords),
        gliding(number<&Band::thresholdDb>("threshold_db", "threshold", Unit::Decibel, {-90, 0, -30}, 0.5,
                                           "Level in the band from which its gain follows, dBFS of a sine.")),
        gliding(number<&Band::rangeDb>("range_db", "range", Unit::Decibel, {-24, 24, -6}, 0.5,
                                       "Largest change of the gain, 1 dB for each dB past the threshold.")),
        gliding(number<&Band::attackMs>("attack_ms", "attack", Unit::Milliseconds, {0.1, 200, 5}, 0.05,
                                        "Time to 63 % of the way as the level rises.", Scale::Logarithmic)),
        gliding(number<&Band::releaseMs>("release_ms", "release", Unit::Milliseconds, {5, 4000, 120}, 0.05,
                                         "Time to 63 % of the way as the level falls.", Scale::Logarithmic)),
        onOff<&Band::isKeyed>("keyed", "external key",
                              "The band follows the level of the equaliser's key instead of its own sound."),
    };
    static constexpr bool isAlwaysTold(std::string_view field) {
        return field == "kind" || field == "frequency_hz" || field == "gain_db" || field == "q" ||
               field == "slope_db_per_oct";
    }
};

[[nodiscard]] constexpr std::span<const Field<dsp::EqBand>> eqBandFields() {
    return KindOf<dsp::EqSettings>::itemFields;
}

} // namespace cask::session
