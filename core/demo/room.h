// A simple room: distances, spill, first reflections, late reverberation.
#pragma once

#include <array>
#include <span>
#include <vector>

namespace cask::demo {

struct Point {
    double x = 0; ///< metres, to the drummer's left and right
    double y = 0; ///< towards the audience
    double z = 0; ///< above the floor
};

/// Where a microphone stands and how it hears.
struct Microphone {
    Point at;
    double closeGain = 1;     ///< of the capsule
    double reflections = 0.2; ///< share of the walls it hears
    double reverb = 0.02;     ///< share of the late sound
    double offAxisHz = 9000;  ///< what comes from far is duller
};

struct RoomSize {
    Point size{6.5, 8, 3.2};
    double wall = 0.55;  ///< amplitude kept by a reflection
    double decayS = 0.7; ///< time of the late sound to fall by 60 dB
};

/// Adds what the microphone hears of a source: direct sound and one reflection from each wall, 343 m/s.
/// `own` says that the microphone stands at this source: then it is bright and full.
void addHeard(std::span<const float> source, const Point& place, const Microphone& microphone,
              const RoomSize& room, bool own, double gain, double sampleRateHz, std::span<float> out);

/// Late sound of a mono feed, two channels that do not repeat each other: a feedback delay network with a
/// Hadamard matrix (Jot and Chaigne 1991).
[[nodiscard]] std::array<std::vector<float>, 2> lateSound(std::span<const float> feed, const RoomSize& room,
                                                          double sampleRateHz);

} // namespace cask::demo
