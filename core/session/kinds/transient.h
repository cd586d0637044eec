// The transient shaper.
#pragma once

#include <fmt/format.h>

#include <core/dsp/transient_settings.h>
#include <core/session/kinds/gate.h>
#include <string>

namespace cask::session {

template <> struct KindOf<dsp::TransientSettings> {
    using S = dsp::TransientSettings;
    static constexpr std::string_view id = "transient"; // stored: do not change
    static constexpr std::string_view words = "transient shaper";
    static constexpr Stage stage = Stage::Punch;
    static constexpr bool hearsKey = true;
    static constexpr ChainPlace place(int) { return ChainPlace::Shaping; }

    static std::string cell(const S& s) {
        return fmt::format("{:+.0f} {:+.0f}", s.attackPercent, s.sustainPercent);
    }

    // Stored names as the gate has them: do not change.
    static constexpr auto& kBands = KindOf<dsp::GateSettings>::kReaches;
    static constexpr auto& kBandWords = KindOf<dsp::GateSettings>::kReachWords;

    static constexpr std::array fields = {
        gliding(number<&S::attackPercent>("attack_percent", "beginnings", Unit::Percent, {-100, 100, 0}, 5,
                                          "Raises or lowers the beginning of every hit, at 100 % by up to 12 "
                                          "dB, however loud the hit is.")),
        gliding(
            number<&S::sustainPercent>("sustain_percent", "ends", Unit::Percent, {-100, 100, 0}, 5,
                                       "Raises or lowers what rings on after every hit, at 100 % by up to "
                                       "18 dB.")),
        gliding(number<&S::attackMs>("attack_ms", "beginning lasts", Unit::Milliseconds, {1, 200, 15}, 0.05,
                                     "After so long a third of what a beginning gains is left.",
                                     Scale::Logarithmic)),
        gliding(number<&S::sustainMs>("sustain_ms", "long decay", Unit::Milliseconds, {50, 5000, 600}, 0.05,
                                      "A hit that falls by 60 dB sooner than this has an end to be raised or "
                                      "lowered; the sooner, the more.",
                                      Scale::Logarithmic)),
        gliding(number<&S::mixPercent>("mix_percent", "mix", Unit::Percent, {0, 100, 100}, 5,
                                       "Share of the shaped sound; the rest is the sound as it came.")),
        gliding(number<&S::linkPercent>("link_percent", "stereo link", Unit::Percent, {0, 100, 100}, 5,
                                        "How far the quieter side of a pair follows the level of the louder "
                                        "one.")),
        choice<&S::reach>("band", "acts on", kBands, kBandWords,
                          "Which part of the sound it hears and acts on; the rest passes untouched."),
        number<&S::fromHz>("from_hz", "from", Unit::Hertz, {40, 18000, 3000}, 0.02,
                           "Corner of what lies above it, or the lower of two.", Scale::Logarithmic),
        number<&S::toHz>("to_hz", "to", Unit::Hertz, {40, 18000, 8000}, 0.02,
                         "Corner of what lies below it, or the upper of two.", Scale::Logarithmic),
    };
};

} // namespace cask::session
