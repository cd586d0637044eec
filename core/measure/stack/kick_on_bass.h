// What a kick does on a bass: low end gained, beating, room left.
#pragma once

#include <core/measure/sound.h>
#include <span>

namespace cask::measure {

struct KickOnBass {
    /// lowGainDb - beatingDb, less what the sum is over full scale.
    double score = 0;
    /// Energy below kLowHz of the first kBodyMs behind the strikes: of the sum against the louder of both
    /// alone, dB. 3 where both are as loud and have nothing to do with each other, up to 6 in phase, below 0
    /// where they cancel.
    double lowGainDb = 0;
    /// How far the level of the sum below kLowHz strays from that of two sounds that have nothing to do with
    /// each other, dB (RMS over steps of 20 ms, weighted by power): what beats or cancels for a while.
    double beatingDb = 0;
    double roomDb = 0;       ///< peak of the sum under full scale, dB
    bool isInverted = false; ///< the kick, where that gains more

    static constexpr double kLowHz = 150;
    static constexpr double kBodyMs = 250;
};

/// A kick with a gain, its transient at each strike, under a bass (mono, of the same rate). REQUIRES: a sound
/// that is not silent.
[[nodiscard]] KickOnBass scoreKickOnBass(std::span<const float> kick, double gainDb,
                                         std::span<const float> bass, std::span<const double> strikesS,
                                         double rateHz);

} // namespace cask::measure
