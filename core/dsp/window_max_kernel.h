// Windows of the greatest over a lane type; part of kernels_impl.h.
#pragma once

#include "core/dsp/window_max.h"

#include <algorithm>
#include <bit>
#include <utility>

namespace cask::dsp {
namespace {

template <class V> inline V at(const LaneFloats& values, int lane) {
    return Ops<V>::load(values.data() + lane);
}

/// At the end of a cell: the greatest of those that stay in each lane's window.
template <class V> void turnCell(WindowMax& b) noexcept {
    using O = Ops<V>;
    const int mask = static_cast<int>(b.rings[0].size()) - 1;
    const auto place = [&](int level, int at) -> LaneFloats& {
        return b.rings[static_cast<std::size_t>(level)][static_cast<std::size_t>(at & mask)];
    };
    place(0, b.ringAt) = b.cell;
    for (int level = 1; level <= b.levels; ++level) {
        const LaneFloats& late = place(level - 1, b.ringAt);
        const LaneFloats& early = place(level - 1, b.ringAt - (1 << (level - 1)));
        for (int lane = 0; lane < kLanes; lane += O::kWidth)
            O::store(place(level, b.ringAt).data() + lane, O::max(at<V>(late, lane), at<V>(early, lane)));
    }
    const auto greatest = [&](int lane, const auto& load) {
        const int count = b.cellsBefore[static_cast<std::size_t>(lane)];
        const int level = static_cast<int>(std::bit_width(static_cast<unsigned>(count))) - 1;
        return std::pair(load(place(level, b.ringAt)), load(place(level, b.ringAt - count + (1 << level))));
    };
    if (b.hasOneWindow && b.cellsBefore[0] > 0) {
        for (int lane = 0; lane < kLanes; lane += O::kWidth) {
            const auto [late, early] =
                greatest(lane, [&](const LaneFloats& cells) { return at<V>(cells, lane); });
            O::store(b.earlier.data() + lane, O::max(V(b.least), O::max(late, early)));
        }
    } else {
        b.earlier.v.fill(b.least);
        for (int lane = 0; lane < kLanes; ++lane) {
            if (b.cellsBefore[static_cast<std::size_t>(lane)] == 0)
                continue;
            const auto [late, early] = greatest(lane, [&](const LaneFloats& cells) { return cells[lane]; });
            b.earlier[lane] = std::max(b.least, std::max(late, early));
        }
    }
    b.cell = {};
    b.ringAt = (b.ringAt + 1) & mask;
    b.inCell = 0;
}

/// Acts on pieces that lie in one cell each, and ends a cell behind its last one.
template <class V, class Act> inline void inCells(WindowMax& window, int frames, const Act& act) noexcept {
    for (int done = 0; done < frames;) {
        const int left = window.cellFrames - window.inCell;
        const int count = left < frames - done ? left : frames - done;
        act(done, count);
        done += count;
        window.inCell += count;
        if (window.inCell == window.cellFrames)
            turnCell<V>(window);
    }
}

} // namespace
} // namespace cask::dsp
