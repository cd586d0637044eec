// The low-end pair: a boost under a corner and a cut just above it.
#pragma once

#include <core/session/kind_of.h>

namespace cask::session {

template <> struct KindOf<dsp::LowEndSettings> {
    using S = dsp::LowEndSettings;
    static constexpr std::string_view id = "low_end"; // stored: do not change
    static constexpr std::string_view words = "low shelf pair";
    static constexpr Stage stage = Stage::Tone;
    static constexpr bool hearsKey = false;
    static constexpr ChainPlace place(int) { return ChainPlace::Colour; }
    static constexpr std::array fields = {
        gliding(number<&S::frequencyHz>(
            "frequency_hz", "corner", Unit::Hertz, {20, 200, 60}, 0.02,
            "Corner of the boost; the cut has its own at three times this frequency.", Scale::Logarithmic)),
        gliding(
            number<&S::boostDb>("boost_db", "boost", Unit::Decibel, {0, 18, 0}, 0.5,
                                "Shelf below the corner; the net lift at the bottom is boost minus cut.")),
        gliding(number<&S::cutDb>("cut_db", "cut", Unit::Decibel, {0, 18, 0}, 0.5,
                                  "Shelf below three times the corner: a dip just above the boost.")),
    };
};

} // namespace cask::session
