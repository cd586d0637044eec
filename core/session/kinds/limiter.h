// The limiter that holds the true peak under a ceiling.
#pragma once

#include <core/session/kind_of.h>

namespace cask::session {

template <> struct KindOf<dsp::LimiterSettings> {
    using S = dsp::LimiterSettings;
    static constexpr std::string_view id = "limiter";      // stored: do not change
    static constexpr std::string_view olderId = "ceiling"; // read as well
    static constexpr std::string_view words = "limiter";
    static constexpr Stage stage = Stage::Punch;
    static constexpr bool hearsKey = false;
    static constexpr ChainPlace place(int) { return ChainPlace::Ceiling; }
    // In the order of LimiterRelease: do not change.
    static constexpr std::array<std::string_view, 2> kReleases = {"fixed", "programme"};
    static constexpr std::array<std::string_view, 2> kReleaseWords = {"fixed", "programme-dependent"};

    static constexpr std::array fields = {
        gliding(number<&S::ceilingDb>("ceiling_db", "ceiling", Unit::Decibel, {-24, 0, -1}, 0.5,
                                      "Highest true peak at the output, dBTP.")),
        gliding(number<&S::releaseMs>("release_ms", "release", Unit::Milliseconds, {5, 1000, 80}, 0.05,
                                      "Time for 63 % of the gain reduction to recover.", Scale::Logarithmic)),
        choice<&S::release>(
            "release", "release law", kReleases, kReleaseWords,
            "Fixed: one time. Programme-dependent: what is held down for long comes back more "
            "slowly, with the low end bent less."),
        number<&S::lookAheadMs>("look_ahead_ms", "look-ahead", Unit::Milliseconds, {0.2, 20, 1.5}, 0.05,
                                "Over which the gain goes down before a peak; the sound waits for it. "
                                "Shorter is louder and bends the low end more.",
                                Scale::Logarithmic),
    };
};

} // namespace cask::session
