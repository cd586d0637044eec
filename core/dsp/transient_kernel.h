// The transient shaper over a lane type. Included by kernels_impl.h, once Ops is known.
#pragma once

#include "core/dsp/transient_bank.h"
#include "core/dsp/window_max_kernel.h"

namespace cask::dsp {
namespace {

/// Of so many frames of one cell of the window: how far the level stands over the slow follower, and under
/// the late one, as factors. Only what waits for the frame before it is done here.
template <class V> void followCell(TransientBank& b, const float* heard, int from, int frames) noexcept {
    using O = Ops<V>;
    const TransientValues& v = b.values;
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        const V least(b.window.least);
        const V earlier = O::max(at<V>(b.window.earlier, lane), least);
        const V rise = at<V>(v.rise, lane);
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
            slow = O::min(level, O::fma(rise, level - slow, slow));
            late = O::max(level, late * fall);
            O::store(b.beginnings.data() + n * kLanes + lane, level / slow);
            O::store(b.ends.data() + n * kLanes + lane, late / level);
        }
        O::store(b.window.cell.data() + lane, cell);
        O::store(b.level.data() + lane, level);
        O::store(b.slow.data() + lane, slow);
        O::store(b.late.data() + lane, late);
    }
}

template <class V> void shapeGroup(TransientBank& b, const float* heard, int frames) noexcept {
    using O = Ops<V>;
    constexpr float kMostAttack = 12.0F / 6.0206F; // octaves: kMostAttackDb
    constexpr float kMostSustain = 18.0F / 6.0206F;
    inCells<V>(b.window, frames, [&](int from, int count) { followCell<V>(b, heard, from, count); });
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        const V attack = at<V>(b.values.attack, lane);
        const V sustain = at<V>(b.values.sustain, lane);
        const V mix = at<V>(b.values.mix, lane);
        float* const beginnings = b.beginnings.data() + lane;
        const float* const ends = b.ends.data() + lane;
        for (int n = 0; n < frames; ++n) {
            const V beginning = O::min(O::log2(O::load(beginnings + n * kLanes)), V(kMostAttack));
            const V end = O::min(O::log2(O::load(ends + n * kLanes)), V(kMostSustain));
            O::store(beginnings + n * kLanes, O::fma(attack, beginning, sustain * end));
        }
        V shape = at<V>(b.shape, lane);
        for (int n = 0; n < frames; ++n) {
            shape = O::fma(V(b.smooth), O::load(beginnings + n * kLanes) - shape, shape);
            O::store(beginnings + n * kLanes, shape);
        }
        O::store(b.shape.data() + lane, shape);
        for (int n = 0; n < frames; ++n)
            O::store(b.gains.data() + n * kLanes + lane,
                     O::fma(mix, O::exp2(O::load(beginnings + n * kLanes)) - V(1.0F), V(1.0F)));
    }
}

} // namespace
} // namespace cask::dsp
