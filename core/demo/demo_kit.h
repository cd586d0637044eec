// The demo take: a made-up performance through made-up microphones, with its truth.
#pragma once

#include <core/demo/drum_synth.h>
#include <core/demo/performance.h>
#include <string>
#include <string_view>
#include <vector>

namespace cask::demo {

struct DemoTrack {
    std::string name;
    std::vector<std::vector<float>> channels; ///< planar, one or two
};

/// Faults that are there on purpose.
struct PlantedFault {
    std::string_view track;
    std::string_view what;
    double value; ///< Hz, ms or dB, as `what` says
};

struct DemoTake {
    double sampleRateHz = 48000;
    Performance performance;
    Tuning tuning;
    std::vector<DemoTrack> tracks; ///< kick in, kick out, snare top ... room, bass
    std::vector<PlantedFault> faults;
};

inline constexpr unsigned long long kDemoSeed = 20;

/// The same seed gives the same take. About 40 s of sound; takes a few seconds.
[[nodiscard]] DemoTake makeDemoTake(unsigned long long seed = kDemoSeed, double sampleRateHz = 48000);

} // namespace cask::demo
