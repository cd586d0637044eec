// What a user sets on the gate.
#pragma once

namespace cask::dsp {

enum class GateDetector { Peak, Rms };
/// How the gain goes back: evenly in dB, in a straight line, or fast at first.
enum class ReleaseCurve { Even, Straight, Quick };
/// What of the sound the gain acts on; the rest passes untouched.
enum class GateReach { All, Above, Below, Between };

/// A floor of this is silence.
inline constexpr double kSilentFloorDb = -90;
/// From this ratio on the gate is either open or closed.
inline constexpr double kHardRatio = 20;

/// Closed, the gain is `floorDb`; open, it is `liftDb`. The detector's level opens at `openDb`; once it has
/// been under `closeDb` for the hold the gain falls again. Under `openDb` a ratio below kHardRatio lets it
/// fall by (ratio - 1) dB for each dB, down to the floor. Inverted, the two gains change places: the sound
/// passes between the key's hits.
struct GateSettings {
    double openDb = -40;
    double closeDb = -46; ///< taken as openDb when it is above
    double ratio = kHardRatio;
    double floorDb = -24;
    double liftDb = 0;
    double attackMs = 1;   ///< from closed to open, an S in linear gain
    double holdMs = 30;    ///< under closeDb before the release begins
    double releaseMs = 90; ///< from open to closed
    ReleaseCurve releaseCurve = ReleaseCurve::Even;
    double lookAheadMs = 2; ///< the sound waits for the gain
    bool isInverted = false;
    GateDetector detector = GateDetector::Peak;
    double windowMs = 8;      ///< the detector's level is the peak or the RMS of so long a piece
    double lowCutHz = 10;     ///< of the detector; off at 10 Hz
    double highCutHz = 20000; ///< of the detector; off at 20 kHz
    double cutSlopeDbPerOct = 24;
    GateReach reach = GateReach::All;
    double fromHz = 3000; ///< corner of Above, lower one of Between
    double toHz = 8000;   ///< corner of Below, upper one of Between
    friend bool operator==(const GateSettings&, const GateSettings&) = default;
};

} // namespace cask::dsp
