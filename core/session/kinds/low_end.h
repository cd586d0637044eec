// The low-end pair: a boost under a corner and a cut just above it.
#pragma once

#include <core/session/kind_of.h>

namespace cask::session {

template <> struct KindOf<dsp::LowEndSettings> {
    using S = dsp::LowEndSettings;
    static constexpr std::string_view id = "low_end"; // stored: do not change
    static constexpr std::string_view words = "low end";
    static constexpr Stage stage = Stage::Tone;
    static constexpr bool hearsKey = false;
    static constexpr ChainPlace place(int) { return ChainPlace::Colour; }
    static constexpr std::array fields = {
        gliding(number<&S::frequencyHz>("frequency_hz", "corner", Unit::Hertz, {20, 200, 60}, 0.02,
                                        "Where the boost turns; the cut turns at three times as much.",
                                        Scale::Logarithmic)),
        gliding(number<&S::boostDb>("boost_db", "boost", Unit::Decibel, {0, 18, 0}, 0.5,
                                    "Of what lies under the corner.")),
        gliding(number<&S::cutDb>("cut_db", "cut", Unit::Decibel, {0, 18, 0}, 0.5,
                                  "Of what lies under three times the corner: dips just above the boost.")),
    };
};

} // namespace cask::session
