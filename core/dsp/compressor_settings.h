// What a user sets on the compressor.
#pragma once

#include <core/dsp/gate_settings.h>

namespace cask::dsp {

/// What its detector measures: the greatest value of a short window, or its root mean square.
enum class CompressorDetector { Peak, Rms };
/// One time for the way back, or a second, slower one for what has been held down for long.
enum class CompressorRelease { Fixed, Programme };
/// What of a pair it hears and acts on.
enum class CompressorChannels { Both, Middle, Side };
/// Down: lowers what is over the threshold. Up: raises what is under it. Expand: raises what is over it.
enum class CompressorDirection { Down, Up, Expand };

/// Clean: the law, with its times. Grab: a hit is taken harder than what goes on, see CompressorLanes.
enum class CompressorCharacter { Clean, Grab };

/// Matched: the make-up was measured to make the take as loud as it came; it is a number like any other, and
/// is said to be out of date once it no longer does.
enum class CompressorMakeup { Fixed, Matched };

/// From this ratio on the level stays at the threshold.
inline constexpr double kInfiniteRatio = 100;

struct CompressorSettings {
    static constexpr double kClipKneeDb = 6;

    double thresholdDb = -20; ///< dBFS, of the detector's level
    double ratio = 4;
    double kneeDb = 6;      ///< width of the bend, half of it on either side of the threshold
    double attackMs = 20;   ///< 63 % of a change of gain after the level rose
    double releaseMs = 120; ///< 63 % of a change of gain after the level fell
    CompressorRelease release = CompressorRelease::Fixed;
    CompressorDetector detector = CompressorDetector::Peak;
    double windowMs = 8;
    double lookAheadMs = 0; ///< the sound waits for the gain
    double lowCutHz = 10;   ///< of the detector; off at 10 Hz
    double highCutHz = 20000;
    double cutSlopeDbPerOct = 12;
    double rangeDb = 80; ///< the gain changes by no more
    double mixPercent = 100;
    double linkPercent = 100; ///< of a pair: how far the quieter side follows the louder one's level
    CompressorChannels channels = CompressorChannels::Both;
    CompressorDirection direction = CompressorDirection::Down;
    double makeupDb = 0;
    CompressorMakeup makeup = CompressorMakeup::Fixed;
    CompressorCharacter character = CompressorCharacter::Clean;
    GateReach reach = GateReach::All; ///< what of the sound it hears and acts on, where that is both sides
    double fromHz = 3000;             ///< corner of Above, lower one of Between
    double toHz = 8000;               ///< corner of Below, upper one of Between
    bool isSoftClipped = false;       ///< what comes out, by a clipper with a knee of kClipKneeDb
    double clipDb = -1;               ///< its ceiling, dBFS
    friend bool operator==(const CompressorSettings&, const CompressorSettings&) = default;
};

} // namespace cask::dsp
