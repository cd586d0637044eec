// The clipper.
#pragma once

#include <core/dsp/clipper.h>
#include <core/session/kinds/saturation.h>

namespace cask::session {

template <> struct KindOf<dsp::ClipperSettings> {
    using S = dsp::ClipperSettings;
    static constexpr std::string_view id = "clipper"; // stored: do not change
    static constexpr std::string_view words = "clipper";
    static constexpr Stage stage = Stage::Drive;
    static constexpr bool hearsKey = false;
    static constexpr ChainPlace place(int) { return ChainPlace::Ceiling; }

    static constexpr std::array fields = {
        gliding(number<&S::ceilingDb>("ceiling_db", "ceiling", Unit::Decibel, {-40, 0, -3}, 0.5,
                                      "Level that nothing passes, dBFS.")),
        gliding(number<&S::kneeDb>("knee_db", "knee", Unit::DecibelSpan, {0, 18, 3}, 0.5,
                                   "Begins to bend so far under the ceiling; at 0 it is cut off at a "
                                   "corner.")),
        withStandard(1, choice<&S::oversampling>("oversampling", "oversampling",
                                                 KindOf<dsp::SaturationSettings>::kFactors,
                                                 KindOf<dsp::SaturationSettings>::kFactorWords,
                                                 "How many times the rate it works at: the more, the less "
                                                 "of the new tones folds back.")),
        onOff<&S::isCapped>("cap", "last cap",
                            "No sample passes the ceiling at the session's rate either; a little folds back. "
                            "Without it peaks of drums may pass by 1 dB, of noise by more.",
                            1),
    };
};

} // namespace cask::session
