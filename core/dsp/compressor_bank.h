// What the compressor's kernel works on: eight channels side by side.
#pragma once

#include <core/dsp/window_max.h>

namespace cask::dsp {

/// Values that glide, one of each for every lane. Levels and gains are in octaves: log2 of a factor.
struct CompressorValues {
    LaneFloats threshold;
    LaneFloats slope; ///< octaves of gain for each octave past the threshold
    LaneFloats knee;  ///< width
    LaneFloats range;
    LaneFloats makeup;
    LaneFloats mix; ///< 0 also where there is no compressor or it is bypassed
    LaneFloats link;
    LaneFloats rise; ///< shares of the way that a frame goes while the change of gain grows
    LaneFloats fall; ///< and while it goes back
    /// Of the slow part of a programme-dependent release; lanes with another one have slowShare 0.
    LaneFloats slowShare, slowRise, slowFall;
    /// Of the grab: by how much of its way a goal is passed, and how fast that is forgotten; share 0 without.
    LaneFloats grabShare, grabFollow;
};

struct CompressorBank {
    /// Frames that the kernel works on at a time.
    static constexpr int kPiece = 64;

    CompressorValues values;
    // What does not glide
    LaneFloats side;         ///< 1: acts over the threshold; -1: under it
    LaneFloats way;          ///< 1 raises, -1 lowers
    LaneFloats own, partner; ///< shares of the lane and of its neighbour in what is heard and acted on
    LaneFloats isRms;        ///< 1 or 0
    std::array<int, kLanes> windowFrames{};   ///< of a mean square, else 1
    std::array<double, kLanes> windowShare{}; ///< 1 / windowFrames
    bool hasPairs = false;                    ///< some partner or link is not 0
    bool hasParts = false;                    ///< some partner is not 0
    bool hasRms = false;
    bool hasSlow = false;
    bool hasTurned = false; ///< some lane goes back faster than it goes on
    // State
    LaneFloats reduction; ///< octaves by which the gain is changed, >= 0
    LaneFloats slow;      ///< of the slow part
    LaneFloats grabbed;   ///< goal that the grab is used to
    WindowMax window;     ///< of peaks
    LaneFloats gain;      ///< of the last frame, linear, without make-up: for display
    LaneBuffer squares;   ///< ring for the mean squares
    int squareAt = 0;
    std::array<double, kLanes> squareSums{};
    // Of the piece that is worked on
    alignas(64) std::array<float, static_cast<std::size_t>(kPiece) * kLanes> levels{};
    alignas(64) std::array<float, static_cast<std::size_t>(kPiece) * kLanes> changes{};
    alignas(64) std::array<float, static_cast<std::size_t>(kPiece) * kLanes> partnered{};
};

} // namespace cask::dsp
