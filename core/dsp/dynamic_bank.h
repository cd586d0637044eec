// What the kernel of dynamic bands works on: at most one band on each of eight channels.
#pragma once

#include <core/dsp/window_max.h>

namespace cask::dsp {

/// The section of a band at one gain. Its output is x + n0 x + m1 (band-pass) + m2 (low-pass).
struct alignas(32) DynamicStep {
    float g = 0.1F;
    float k = 1;
    float n0 = 0;
    float m1 = 0;
    float m2 = 0;
    std::array<float, 3> unused{}; ///< so that two registers hold it
};

struct DynamicBank {
    /// Frames that the kernel works on at a time.
    static constexpr int kPiece = 64;

    LaneFloats own, partner; ///< shares of the lane and of its neighbour in what is heard and acted on
    LaneFloats link;         ///< 1: the louder one of a pair moves both; 0: alone
    // The detector: u = fromX x + fromBand (band-pass) + fromLow (low-pass). A bell hears u once more through
    // the same filter, and takes its two states as a pair; a shelf takes the greatest square of a while.
    LaneFloats c1, c2, c3; ///< of the step of its filter's state
    LaneFloats fromX, fromBand, fromLow;
    LaneFloats isBell; ///< 1 or 0
    LaneFloats power;  ///< by which a bell's sum of squares is multiplied
    // How far it is moved: 0 at rest, 1 at the end of its range; towards scale * log2(square) + shift
    LaneFloats scale, shift;
    LaneFloats rise, fall; ///< shares of the way that a frame goes outwards, and back
    LaneFloats atRest;     ///< nearer to its goal than this it is there
    /// Sections from rest to the end of the range; at least two.
    std::array<const DynamicStep*, kLanes> steps{};
    LaneFloats lastStep; ///< how many less one
    // After a change the old section is blended out: what it was more, by five coefficients.
    LaneFloats gapG, gapK, gapN0, gapM1, gapM2;
    LaneFloats leastG, leastK;        ///< while it is blended
    LaneFloats glideLeft, glideShare; ///< frames to go; 1 / length
    bool hasBells = false;
    bool hasShelves = false;
    bool hasParts = false; ///< some partner is not 0
    bool hasPairs = false; ///< some link is not 0
    bool isGliding = false;
    // State
    LaneFloats first1, first2, second1, second2; ///< of the detector's filters
    WindowMax window;                            ///< of a shelf's squares
    LaneFloats moved, movedRest;                 ///< how far; what single precision left of that
    LaneFloats s1, s2;                           ///< of the section
    // Of the piece that is worked on
    alignas(64) std::array<float, static_cast<std::size_t>(kPiece) * kLanes> goals{};
    alignas(64) std::array<float, static_cast<std::size_t>(kPiece) * kLanes> acted{};
};

} // namespace cask::dsp
