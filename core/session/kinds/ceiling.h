// The limiter that holds the true peak under a ceiling.
#pragma once

#include <core/session/kind_of.h>

namespace cask::session {

template <> struct KindOf<dsp::CeilingSettings> {
    using S = dsp::CeilingSettings;
    static constexpr std::string_view id = "ceiling"; // stored: do not change
    static constexpr std::string_view words = "limiter";
    static constexpr Stage stage = Stage::Balance;
    static constexpr bool hearsKey = false;
    static constexpr ChainPlace place(int) { return ChainPlace::Ceiling; }
    static constexpr std::array fields = {
        gliding(number<&S::ceilingDb>("ceiling_db", "ceiling", Unit::Decibel, {-24, 0, -1}, 0.5,
                                      "Highest true peak at the output, dBTP.")),
        gliding(number<&S::releaseMs>("release_ms", "release", Unit::Milliseconds, {5, 1000, 80}, 0.05,
                                      "Time for 63 % of the gain reduction to recover.", Scale::Logarithmic)),
    };
};

} // namespace cask::session
