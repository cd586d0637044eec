// What a compressor or transient shaper does, millisecond by millisecond.
#pragma once

namespace cask::measure {

/// A millisecond of a material.
struct PunchCell {
    float level = 0;  ///< greatest of the detector, or mean square of its window
    float before = 0; ///< greatest sample
    float after = 0;
    float powerBefore = 0; ///< sums of squares, channels added
    float powerAfter = 0;
    float gain = 1; ///< farthest from 1, without make-up and mix
    int frames = 0;
};

} // namespace cask::measure
