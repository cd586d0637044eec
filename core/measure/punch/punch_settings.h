// What a run of a compressor or transient shaper over a material has to know of its settings.
#pragma once

#include <algorithm>
#include <core/base/units.h>
#include <core/dsp/compressor_settings.h>
#include <core/dsp/transient_settings.h>

namespace cask::measure {

namespace punch_run {

inline bool isRms(const dsp::CompressorSettings& s) {
    return s.detector == dsp::CompressorDetector::Rms;
}
inline bool isRms(const dsp::TransientSettings& /*settings*/) {
    return false;
}
inline double windowMs(const dsp::CompressorSettings& s) {
    return s.windowMs;
}
inline double windowMs(const dsp::TransientSettings& /*settings*/) {
    return 0;
}
inline double lookAheadMs(const dsp::CompressorSettings& s) {
    return s.lookAheadMs;
}
inline double lookAheadMs(const dsp::TransientSettings& /*settings*/) {
    return 0;
}
inline double makeup(const dsp::CompressorSettings& s) {
    return dbToLinear(s.makeupDb);
}
inline double makeup(const dsp::TransientSettings& /*settings*/) {
    return 1;
}
/// Whether each channel's sound is multiplied by its own gain, and nothing else happens.
inline bool isGainAlone(const dsp::CompressorSettings& s) {
    return s.channels == dsp::CompressorChannels::Both && s.reach == dsp::GateReach::All;
}
inline bool isGainAlone(const dsp::TransientSettings& s) {
    return s.reach == dsp::GateReach::All;
}
/// Without what is added to its own change of gain.
inline dsp::CompressorSettings bare(dsp::CompressorSettings settings) {
    settings.makeupDb = 0;
    settings.mixPercent = 100;
    settings.reach = dsp::GateReach::All; // a gain on a constant is the gain
    return settings;
}
inline dsp::TransientSettings bare(dsp::TransientSettings settings) {
    settings.mixPercent = 100;
    settings.reach = dsp::GateReach::All;
    return settings;
}
/// After so long it no longer matters where it began: nine times its slowest one-pole, by which a difference
/// of 20 dB has come down to 0.003 dB.
inline double settleS(const dsp::CompressorSettings& s) {
    constexpr double kTimes = 9;
    constexpr double kSlowFall = 6; // of a programme-dependent release
    constexpr double kWindowsS = 0.2;
    const double releaseMs =
        s.release == dsp::CompressorRelease::Programme ? kSlowFall * s.releaseMs : s.releaseMs;
    return 0.001 * (kTimes * std::max({2 * s.attackMs, releaseMs, 20.0}) + s.lookAheadMs) + kWindowsS;
}
/// Its level has fallen by 120 dB, and what falls from it twice by 60 dB.
inline double settleS(const dsp::TransientSettings& s) {
    constexpr double kTimes = 9;
    constexpr double kFallS = 0.3;
    return kFallS + 0.001 * (kTimes * s.attackMs + 2 * s.sustainMs);
}

} // namespace punch_run

} // namespace cask::measure
