#include "core/dsp/window_max.h"

#include <algorithm>
#include <bit>
#include <utility>

namespace cask::dsp {

void WindowMax::prepare(int mostCells) {
    ring.assign(std::bit_ceil(static_cast<std::size_t>(mostCells) + 1), {});
    ends.assign(ring.size() + 1, {});
    reset();
}

void WindowMax::setCells(int lane, int cells) noexcept {
    const bool changes = std::exchange(cellsBefore[static_cast<std::size_t>(lane)], cells - 1) != cells - 1;
    hasOneWindow = std::all_of(cellsBefore.begin(), cellsBefore.end(),
                               [&](int count) { return count == cellsBefore[0]; });
    if (!changes)
        return;
    for (int l = 0; l < kLanes; ++l) // so that those of as many cells have blocks that end together
        endBlock(l);
}

void WindowMax::reset() noexcept {
    cell = {};
    earlier.v.fill(least);
    std::fill(ring.begin(), ring.end(), LaneFloats{});
    ringAt = inCell = 0;
    for (int l = 0; l < kLanes; ++l)
        endBlock(l);
}

void WindowMax::copyLane(int lane, const WindowMax& from, int fromLane) noexcept {
    cell[lane] = from.cell[fromLane];
    const int size = static_cast<int>(ring.size());
    for (int i = 1; i <= size; ++i)
        ring[static_cast<std::size_t>((ringAt - i) & (size - 1))][lane] =
            from.ring[static_cast<std::size_t>((from.ringAt - i) & (size - 1))][fromLane];
    for (int l = 0; l < kLanes; ++l)
        endBlock(l);
    earlier[lane] = from.earlier[fromLane];
}

void WindowMax::endBlock(int lane) noexcept {
    const auto l = static_cast<std::size_t>(lane);
    inBlock[l] = 0;
    block[lane] = least;
    if (ring.empty())
        return; // not prepared yet
    const int mask = static_cast<int>(ring.size()) - 1;
    const int count = cellsBefore[l];
    float greatest = least;
    ends[static_cast<std::size_t>(count)][lane] = least;
    for (int i = count - 1; i >= 0; --i) {
        greatest = std::max(greatest, ring[static_cast<std::size_t>((ringAt - count + i) & mask)][lane]);
        ends[static_cast<std::size_t>(i)][lane] = greatest;
    }
    earlier[lane] = greatest;
}

void WindowMax::turnLanes() noexcept {
    for (int lane = 0; lane < kLanes; ++lane) {
        int& in = inBlock[static_cast<std::size_t>(lane)];
        if (++in >= cellsBefore[static_cast<std::size_t>(lane)])
            endBlock(lane);
        else
            earlier[lane] = std::max(block[lane], ends[static_cast<std::size_t>(in)][lane]);
    }
}

} // namespace cask::dsp
