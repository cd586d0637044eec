// Delays the lanes of a group, each by its own number of frames.
#pragma once

#include <core/dsp/lane.h>

namespace cask::dsp {

struct LaneDelay {
    struct Tap {
        int frames = 0;
        LaneFloats isTaken; ///< 1 for the lanes that are late by so much
    };
    LaneBuffer ring; ///< of so many frames as the longest delay, to a power of two; empty without one
    int at = 0;
    int tapCount = 0;
    std::array<Tap, kLanes> taps;
    std::array<int, kLanes> delayFrames{};

    /// Allocates; silent.
    void prepare(const std::array<int, kLanes>& frames);
    [[nodiscard]] int size() const { return static_cast<int>(ring.size()) / kLanes; }
    void reset() noexcept;
    /// What waits in another's lane, where both wait as long. RT: no alloc.
    void copyLane(int lane, const LaneDelay& from, int fromLane) noexcept;
};

} // namespace cask::dsp
