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
    const int mask = static_cast<int>(b.ring.size()) - 1;
    const auto place = [&](int cell, int level) -> LaneFloats& {
        return b.ring[static_cast<std::size_t>(cell & mask)][static_cast<std::size_t>(level)];
    };
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        V greatest = at<V>(b.cell, lane);
        O::store(place(b.ringAt, 0).data() + lane, greatest);
        for (int level = 1; level <= b.levels; ++level) {
            greatest = O::max(greatest, at<V>(place(b.ringAt - (1 << (level - 1)), level - 1), lane));
            O::store(place(b.ringAt, level).data() + lane, greatest);
        }
    }
    // The newest cells of a window, and its oldest ones.
    const auto halves = [&](int count) {
        const int level = static_cast<int>(std::bit_width(static_cast<unsigned>(count))) - 1;
        return std::pair(&place(b.ringAt, level), &place(b.ringAt - count + (1 << level), level));
    };
    if (b.hasOneWindow && b.cellsBefore[0] > 0) {
        const auto [newest, oldest] = halves(b.cellsBefore[0]);
        for (int lane = 0; lane < kLanes; lane += O::kWidth)
            O::store(b.earlier.data() + lane,
                     O::max(V(b.least), O::max(at<V>(*newest, lane), at<V>(*oldest, lane))));
    } else {
        b.earlier.v.fill(b.least);
        for (int lane = 0; lane < kLanes; ++lane) {
            if (b.cellsBefore[static_cast<std::size_t>(lane)] == 0)
                continue;
            const auto [newest, oldest] = halves(b.cellsBefore[static_cast<std::size_t>(lane)]);
            b.earlier[lane] = std::max(b.least, std::max((*newest)[lane], (*oldest)[lane]));
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
