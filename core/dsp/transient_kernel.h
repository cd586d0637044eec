// The transient shaper over a lane type. Included by kernels_impl.h, once Ops is known.
#pragma once

#include "core/dsp/transient_bank.h"
#include "core/dsp/window_max_kernel.h"

namespace cask::dsp {
namespace {

/// Gains of so many frames of one cell of the window.
template <class V> void shapeCell(TransientBank& b, const float* heard, float* gains, int frames) noexcept {
    using O = Ops<V>;
    constexpr float kMostAttack = 12.0F / 6.0206F; // octaves: kMostAttackDb
    constexpr float kMostSustain = 18.0F / 6.0206F;
    const TransientValues& v = b.values;
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        const V least(b.window.least);
        const V earlier = O::max(at<V>(b.window.earlier, lane), least);
        const V attack = at<V>(v.attack, lane);
        const V sustain = at<V>(v.sustain, lane);
        const V rise = at<V>(v.rise, lane);
        const V fall = at<V>(v.fall, lane);
        const V mix = at<V>(v.mix, lane);
        const V link = at<V>(v.link, lane);
        V cell = at<V>(b.window.cell, lane);
        V level = at<V>(b.level, lane);
        V slow = at<V>(b.slow, lane);
        V late = at<V>(b.late, lane);
        V shape = at<V>(b.shape, lane);
        for (int n = 0; n < frames; ++n) {
            const float* frame = heard + n * kLanes;
            const V own = O::abs(O::load(frame + lane));
            const V other = O::abs(O::partner(frame, lane));
            cell = O::max(cell, O::fma(link, O::max(other - own, V(0.0F)), own));
            level = O::max(O::max(cell, earlier), level * V(b.fastFall));
            slow = O::min(level, O::fma(rise, level - slow, slow));
            late = O::max(level, late * fall);
            const V beginning = O::min(O::log2(level / slow), V(kMostAttack));
            const V end = O::min(O::log2(late / level), V(kMostSustain));
            const V goal = O::fma(attack, beginning, sustain * end);
            shape = O::fma(V(b.smooth), goal - shape, shape);
            O::store(gains + n * kLanes + lane, O::fma(mix, O::exp2(shape) - V(1.0F), V(1.0F)));
        }
        O::store(b.window.cell.data() + lane, cell);
        O::store(b.level.data() + lane, level);
        O::store(b.slow.data() + lane, slow);
        O::store(b.late.data() + lane, late);
        O::store(b.shape.data() + lane, shape);
    }
}

template <class V> void shapeGroup(TransientBank& b, const float* heard, int frames) noexcept {
    inCells<V>(b.window, frames, [&](int from, int count) {
        shapeCell<V>(b, heard + from * kLanes, b.gains.data() + from * kLanes, count);
    });
}

} // namespace
} // namespace cask::dsp
