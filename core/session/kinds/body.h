// The resonator: a note added to a drum.
#pragma once

#include <core/session/kind_of.h>

namespace cask::session {

template <> struct KindOf<dsp::BodySettings> {
    using S = dsp::BodySettings;
    static constexpr std::string_view id = "body"; // stored: do not change
    static constexpr std::string_view words = "resonator";
    static constexpr Stage stage = Stage::Drive;
    static constexpr bool hearsKey = false;
    static constexpr ChainPlace place(int) { return ChainPlace::Colour; }
    static constexpr std::array fields = {
        gliding(number<&S::frequencyHz>("frequency_hz", "note", Unit::Hertz, {20, 1000, 55}, 0.02,
                                        "Frequency of the resonance; a note name can be typed.",
                                        Scale::Logarithmic)),
        gliding(number<&S::decayMs>("decay_ms", "decay", Unit::Milliseconds, {20, 3000, 300}, 0.05,
                                    "Time in which the resonance falls by 60 dB.", Scale::Logarithmic)),
        gliding(number<&S::levelDb>("level_db", "level", Unit::Decibel, {-40, 18, -12}, 0.5,
                                    "Of the resonance, for a steady tone at its frequency.")),
        gliding(number<&S::driveDb>("drive_db", "drive", Unit::DecibelSpan, {0, 36, 0}, 0.5,
                                    "How far the resonance alone is driven into a soft curve: overtones of "
                                    "its note; while it is quiet it stays as it is.")),
    };
};

} // namespace cask::session
