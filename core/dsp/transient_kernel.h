// The transient shaper over a lane type. Included by kernels_impl.h, once Ops is known.
#pragma once

#include "core/dsp/transient_bank.h"
#include "core/dsp/window_max_kernel.h"

namespace cask::dsp {
namespace {

/// The followers of so many frames of one cell of the window. Only what waits for the frame before it is done
/// here, on the shortest way from one frame to the next.
template <class V> void followCell(TransientBank& b, const float* heard, int from, int frames) noexcept {
    using O = Ops<V>;
    const TransientValues& v = b.values;
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        const V earlier = O::max(at<V>(b.window.earlier, lane), V(b.window.least));
        const V stay = V(1.0F) - at<V>(v.rise, lane);
        const V rise = V(1.0F) - stay; // so that a level that stands still is reached
        const V fall = at<V>(v.fall, lane);
        const V link = at<V>(v.link, lane);
        V cell = at<V>(b.window.cell, lane);
        V level = at<V>(b.level, lane);
        V slow = at<V>(b.slow, lane);
        V late = at<V>(b.late, lane);
        for (int n = from; n < from + frames; ++n) {
            const float* frame = heard + n * kLanes;
            const V own = O::abs(O::load(frame + lane));
            const V other = O::abs(O::partner(frame, lane));
            cell = O::max(cell, O::fma(link, O::max(other - own, V(0.0F)), own));
            level = O::max(O::max(cell, earlier), level * V(b.fastFall));
            slow = O::min(level, O::fma(stay, slow, rise * level));
            late = O::max(level, late * fall);
            O::store(b.levels.data() + n * kLanes + lane, level);
            O::store(b.slows.data() + n * kLanes + lane, slow);
            O::store(b.lates.data() + n * kLanes + lane, late);
        }
        O::store(b.window.cell.data() + lane, cell);
        O::store(b.level.data() + lane, level);
        O::store(b.slow.data() + lane, slow);
        O::store(b.late.data() + lane, late);
    }
}

/// How far the level stands over the slow follower and under the late one, as octaves of gain. A piece has
/// room for whole registers: what lies behind the last frame is of no matter.
template <class R> void wantedOctaves(TransientBank& b, int frames) noexcept {
    using O = Ops<R>;
    const R mostAttack(12.0F / 6.0206F); // kMostAttackDb
    const R mostSustain(18.0F / 6.0206F);
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        const R attack = O::loadLanes(b.values.attack, lane);
        const R sustain = O::loadLanes(b.values.sustain, lane);
        for (int i = lane; i < frames * kLanes; i += kLaneStep<R>) {
            const R level = O::load(b.levels.data() + i);
            const R over = level * O::reciprocal(O::load(b.slows.data() + i));
            const R under = O::load(b.lates.data() + i) * O::reciprocal(level);
            const R beginning = O::min(O::log2(over), mostAttack);
            const R end = O::min(O::log2(under), mostSustain);
            O::store(b.octaves.data() + i, O::fma(attack, beginning, sustain * end));
        }
    }
}

template <class V> void smoothOctaves(TransientBank& b, int frames) noexcept {
    using O = Ops<V>;
    const V stay(1.0F - b.smooth);
    const V smooth(1.0F - (1.0F - b.smooth));
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        V shape = at<V>(b.shape, lane);
        for (int i = lane; i < frames * kLanes; i += kLanes) {
            shape = O::fma(stay, shape, smooth * O::load(b.octaves.data() + i));
            O::store(b.octaves.data() + i, shape);
        }
        O::store(b.shape.data() + lane, shape);
    }
}

template <class R> void gainsOfOctaves(TransientBank& b, int frames) noexcept {
    using O = Ops<R>;
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        const R mix = O::loadLanes(b.values.mix, lane);
        for (int i = lane; i < frames * kLanes; i += kLaneStep<R>)
            O::store(b.gains.data() + i,
                     O::fma(mix, O::exp2(O::load(b.octaves.data() + i)) - R(1.0F), R(1.0F)));
    }
}

template <class V> void shapeGroup(TransientBank& b, const float* heard, int frames) noexcept {
    using R = typename WidestOf<V>::type;
    inCells<V>(b.window, frames, [&](int from, int count) { followCell<V>(b, heard, from, count); });
    wantedOctaves<R>(b, frames);
    smoothOctaves<V>(b, frames);
    gainsOfOctaves<R>(b, frames);
}

} // namespace
} // namespace cask::dsp
