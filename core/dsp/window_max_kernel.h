// Windows of the greatest over a lane type; part of kernels_impl.h.
#pragma once

#include "core/dsp/window_max.h"

namespace cask::dsp {
namespace {

template <class V> inline V at(const LaneFloats& values, int lane) {
    return Ops<V>::load(values.data() + lane);
}

/// At the end of a cell: the greatest of those that stay in each lane's window.
template <class V> void turnCell(WindowMax& b) noexcept {
    using O = Ops<V>;
    const int mask = static_cast<int>(b.ring.size()) - 1;
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        const V cell = at<V>(b.cell, lane);
        O::store(b.ring[static_cast<std::size_t>(b.ringAt)].data() + lane, cell);
        O::store(b.block.data() + lane, O::max(at<V>(b.block, lane), cell));
    }
    b.cell = {};
    b.ringAt = (b.ringAt + 1) & mask;
    b.inCell = 0;
    if (!b.hasOneWindow) {
        b.turnLanes();
        return;
    }
    const int count = b.cellsBefore[0];
    const int in = b.inBlock[0] + 1 < count ? b.inBlock[0] + 1 : 0; // 0: the block has ended
    b.inBlock.fill(in);
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        if (in == 0) {
            V greatest(b.least);
            O::store(b.block.data() + lane, greatest);
            for (int i = count - 1; i >= 0; --i) {
                const int from = (b.ringAt - count + i) & mask;
                greatest = O::max(greatest, at<V>(b.ring[static_cast<std::size_t>(from)], lane));
                O::store(b.ends[static_cast<std::size_t>(i)].data() + lane, greatest);
            }
        }
        const V end = count > 0 ? at<V>(b.ends[static_cast<std::size_t>(in)], lane) : V(b.least);
        O::store(b.earlier.data() + lane, O::max(at<V>(b.block, lane), end));
    }
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
