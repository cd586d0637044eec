#include "core/dsp/lane_delay.h"

#include <algorithm>
#include <bit>

namespace cask::dsp {

void LaneDelay::prepare(const std::array<int, kLanes>& frames) {
    *this = {};
    delayFrames = frames;
    const int longest = *std::max_element(frames.begin(), frames.end());
    if (longest == 0)
        return;
    ring.resize(std::bit_ceil(static_cast<std::size_t>(longest) + 1) * kLanes);
    for (int lane = 0; lane < kLanes; ++lane) {
        const int delay = frames[static_cast<std::size_t>(lane)];
        if (delay == 0)
            continue;
        auto* const end = taps.begin() + tapCount;
        auto* const tap = std::find_if(taps.begin(), end, [&](const Tap& t) { return t.frames == delay; });
        tapCount += tap == end ? 1 : 0;
        tap->frames = delay;
        tap->isTaken[lane] = 1;
    }
}

void LaneDelay::reset() noexcept {
    std::fill(ring.begin(), ring.end(), 0.0F);
    at = 0;
}

void LaneDelay::copyLane(int lane, const LaneDelay& from, int fromLane) noexcept {
    const int delay = delayFrames[static_cast<std::size_t>(lane)];
    if (delay == 0 || delay != from.delayFrames[static_cast<std::size_t>(fromLane)])
        return;
    for (int n = 1; n <= delay; ++n)
        ring[static_cast<std::size_t>(((at - n) & (size() - 1)) * kLanes + lane)] =
            from.ring[static_cast<std::size_t>(((from.at - n) & (from.size() - 1)) * kLanes + fromLane)];
}

} // namespace cask::dsp
