// What the gate's kernel works on: eight channels side by side.
#pragma once

#include <core/dsp/lane.h>
#include <cstdint>

namespace cask::dsp {

/// One double for each lane.
struct alignas(64) LaneDoubles {
    std::array<double, kLanes> v{};
};

/// A step function that two moving averages in a row make an S.
struct GateBank {
    /// Frames that the kernel works on at a time.
    static constexpr int kPiece = 64;
    /// Of the averages' whole numbers: sums are exact in double up to 8 for averages of 8000 frames each.
    static constexpr double kUnit = 1 << 24;

    // What is set. A lane without a gate is never closed, with a gain of 1.
    LaneFloats openLevel, closeLevel; ///< linear
    LaneFloats openGain, closedGain;
    LaneFloats wait;    ///< frames under the closing level before the release
    LaneFloats release; ///< its frames
    LaneFloats slope;   ///< of a ratio; 0: open or closed
    LaneFloats lowest;  ///< level at which the ratio has reached the closed gain
    LaneFloats falls;   ///< 1: closed is softer than open; 0: inverted
    LaneFloats curve;   ///< ReleaseCurve as a number
    LaneFloats quick;   ///< factor of a quick release
    LaneFloats partner; ///< 1: hears the louder of its pair
    bool hasSlope = false;
    std::array<int, kLanes> first{}, second{}; ///< frames of the averages
    LaneDoubles share;                         ///< 1 / (kUnit first second)
    bool hasOneAttack = true;                  ///< all lanes have the same averages
    // State
    LaneFloats isOpen;             ///< 1 or 0
    LaneFloats quiet;              ///< frames since the detector was at the closing level, while open
    LaneFloats left;               ///< frames of the release still to go
    LaneFloats raw;                ///< gain before the averages
    LaneFloats mul, add, perFrame; ///< of the release: raw = mul raw + add + perFrame left
    std::vector<LaneDoubles> firstRing, secondRing; ///< for the longest attack
    LaneDoubles firstSum, secondSum;
    int ringFrames = 0; ///< of the rings in use: a power of two, so few stay near
    int at = 0;
    LaneFloats last; ///< gain of the last frame
    alignas(64) std::array<float, static_cast<std::size_t>(kPiece) * kLanes> gains{};

    /// Finds mul, add and perFrame of a lane whose release has so many frames left as it says. RT: no alloc.
    void deriveRelease(int lane) noexcept;
};

} // namespace cask::dsp
