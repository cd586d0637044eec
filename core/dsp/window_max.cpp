#include "core/dsp/window_max.h"

#include <algorithm>
#include <bit>

namespace cask::dsp {

void WindowMax::prepare(int mostCells) {
    ring.assign(std::bit_ceil(static_cast<std::size_t>(mostCells) + 1), {});
    reset();
}

void WindowMax::setCells(int lane, int cells) noexcept {
    cellsBefore[static_cast<std::size_t>(lane)] = cells - 1;
    const int most = *std::max_element(cellsBefore.begin(), cellsBefore.end());
    levels = std::max(levels, static_cast<int>(std::bit_width(static_cast<unsigned>(most))) - 1);
    hasOneWindow =
        std::all_of(cellsBefore.begin(), cellsBefore.end(), [&](int count) { return count == most; });
}

void WindowMax::reset() noexcept {
    cell = {};
    earlier.v.fill(least);
    std::fill(ring.begin(), ring.end(), std::array<LaneFloats, kLevels>{});
    ringAt = inCell = 0;
}

void WindowMax::copyLane(int lane, const WindowMax& from, int fromLane) noexcept {
    cell[lane] = from.cell[fromLane];
    earlier[lane] = from.earlier[fromLane];
    const int size = static_cast<int>(ring.size());
    for (int i = 1; i <= size; ++i) {
        auto& mine = ring[static_cast<std::size_t>((ringAt - i) & (size - 1))];
        const auto& theirs = from.ring[static_cast<std::size_t>((from.ringAt - i) & (size - 1))];
        for (std::size_t level = 0; level < kLevels; ++level)
            mine[level][lane] = theirs[level][fromLane];
    }
}

} // namespace cask::dsp
