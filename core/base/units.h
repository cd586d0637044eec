// Conversions between the units that the field uses.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <numbers>

namespace cask {

/// A position or length in frames (a frame is one sample for each channel) of the session rate.
using Frames = std::int64_t;

/// What a level of exactly nothing reads as, dB.
inline constexpr double kSilenceDb = -200.0;
inline constexpr double kPi = std::numbers::pi;

[[nodiscard]] inline double dbToLinear(double db) {
    return std::pow(10.0, db / 20.0);
}

/// Amplitude to dB; never below kSilenceDb.
[[nodiscard]] inline double linearToDb(double linear) {
    return linear > 1e-10 ? std::max(kSilenceDb, 20.0 * std::log10(linear)) : kSilenceDb;
}

/// Power (mean square) to dB; never below kSilenceDb.
[[nodiscard]] inline double dbToPower(double db) {
    return std::pow(10.0, db / 10);
}
[[nodiscard]] inline double powerToDb(double power) {
    return power > 1e-20 ? std::max(kSilenceDb, 10.0 * std::log10(power)) : kSilenceDb;
}

[[nodiscard]] inline double framesToSeconds(Frames frames, double sampleRateHz) {
    return static_cast<double>(frames) / sampleRateHz;
}

[[nodiscard]] inline Frames secondsToFrames(double seconds, double sampleRateHz) {
    return std::llround(seconds * sampleRateHz);
}

} // namespace cask
