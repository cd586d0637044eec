// What a user sets on the transient shaper.
#pragma once

#include <core/dsp/gate_settings.h>

namespace cask::dsp {

/// At 100 % a beginning gains or loses so much at the most, and an end.
inline constexpr double kMostAttackDb = 12;
inline constexpr double kMostSustainDb = 18;

struct TransientSettings {
    double attackPercent = 0;  ///< -100 to 100: of the beginning of hits
    double sustainPercent = 0; ///< -100 to 100: of what rings after it
    double attackMs = 15;      ///< how fast a beginning passes into what follows
    double sustainMs = 600;    ///< time to fall by 60 dB from which on a drum that rings shorter has an end
    double mixPercent = 100;
    double linkPercent = 100;         ///< of a pair: how far the quieter side follows the louder one
    GateReach reach = GateReach::All; ///< what of the sound it hears and acts on
    double fromHz = 3000;             ///< corner of Above, lower one of Between
    double toHz = 8000;               ///< corner of Below, upper one of Between
    friend bool operator==(const TransientSettings&, const TransientSettings&) = default;
};

} // namespace cask::dsp
