// What a user sets on the saturation.
#pragma once

#include <core/dsp/curve_lanes.h>
#include <core/dsp/gate_settings.h>

namespace cask::dsp {

/// Matched: the output was measured to make the take as loud as it came; it is a number like any other, and
/// is said to be out of date once it no longer does.
enum class SaturationOutput { Fixed, Matched };

/// Follows: loud hits are bent more than soft ones, as a curve does it. Stays: every sound comes to the curve
/// at kSteadyDb and goes back to its level behind it.
enum class DriveDynamics { Follows, Stays };

/// y = output (x + mix (g(b) - b)), where b is what of x the band takes and
/// g(x) = (f(d x + b) - f(b)) / (d f'(b)) with d = 10^(drive / 20) - 1 and f the curve of its shape: quiet
/// sound passes with a gain of 1 at any drive, and without drive every bit stays. The tone before is that of
/// what is driven, the tone after that of what comes of it. What a curve that is not odd shifts is taken out
/// again by a high-pass at kBlockHz.
struct SaturationSettings {
    static constexpr double kBlockHz = 5;
    static constexpr double kSteadyDb = -12;  ///< dBFS
    static constexpr double kTiltHz = 700;    ///< where tilts stand still
    static constexpr double kLeastCutHz = 10; ///< low cuts are off there
    static constexpr double kMostCutHz = 20000;

    double driveDb = 6;
    double mixPercent = 100;
    double outputDb = 0;
    Oversampling oversampling = Oversampling::Four;
    Shape shape = Shape::Soft;
    double bias = 0; ///< b, on top of that of the curve itself
    SaturationOutput output = SaturationOutput::Fixed;
    DriveDynamics dynamics = DriveDynamics::Follows;
    GateReach band = GateReach::All; ///< what of the sound is bent; the rest passes
    double fromHz = 150;             ///< corner of Above, lower one of Between
    double toHz = 5000;              ///< corner of Below, upper one of Between
    // Of what is bent, before the curve and after it
    double beforeTiltDb = 0;
    double beforeLowCutHz = kLeastCutHz;
    double beforeHighCutHz = kMostCutHz;
    double afterTiltDb = 0;
    double afterLowCutHz = kLeastCutHz;
    double afterHighCutHz = kMostCutHz;
    friend bool operator==(const SaturationSettings&, const SaturationSettings&) = default;
};

} // namespace cask::dsp
