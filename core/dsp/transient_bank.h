// What the transient shaper's kernel works on: eight channels side by side.
#pragma once

#include <core/dsp/window_max.h>

namespace cask::dsp {

/// Values that glide, one of each for every lane.
struct TransientValues {
    LaneFloats attack;  ///< octaves of gain for each octave of the beginning
    LaneFloats sustain; ///< and of the end
    LaneFloats rise;    ///< share of the way that the slow follower goes in a frame
    LaneFloats fall;    ///< factor by which the follower of the end falls in a frame
    LaneFloats mix;     ///< 0 also where there is no shaper or it is bypassed
    LaneFloats link;
};

struct TransientBank {
    /// Frames that the kernel works on at a time.
    static constexpr int kPiece = 64;

    TransientValues values;
    float fastFall = 1; ///< factor by which the level itself falls in a frame
    float smooth = 1;   ///< share of the way that the gain goes in a frame
    // State
    WindowMax window; ///< of peaks
    LaneFloats level; ///< with a fast fall
    LaneFloats slow;  ///< comes up to the level slowly
    LaneFloats late;  ///< falls from it slowly
    LaneFloats shape; ///< octaves of gain
    // Of the piece that is worked on
    using Piece = std::array<float, static_cast<std::size_t>(kPiece) * kLanes>;
    alignas(64) Piece levels{};
    alignas(64) Piece slows{};
    alignas(64) Piece lates{};
    alignas(64) Piece octaves{}; ///< of gain
    alignas(64) Piece gains{};
};

} // namespace cask::dsp
