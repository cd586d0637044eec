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

/// From levels to gains, in steps of as many values as the widest registers side by side hold: each some of
/// them behind the one before it, so that what waits for the frame before it leaves the processor free for
/// the rest. A piece has room for whole registers: what lies behind the last frame is of no matter.
template <class V, class R> class OctaveSteps {
    using O = Ops<R>;

  public:
    explicit OctaveSteps(TransientBank& bank, int lane) noexcept
        : b(bank), m_attack(O::loadLanes(b.values.attack, lane)),
          m_sustain(O::loadLanes(b.values.sustain, lane)), m_mix(O::loadLanes(b.values.mix, lane)) {}
    /// How far the level stands over the slow follower and under the late one, as octaves of gain.
    [[gnu::always_inline]] void want(int i) const noexcept {
        const R mostAttack(12.0F / 6.0206F); // kMostAttackDb
        const R mostSustain(18.0F / 6.0206F);
        const R level = O::load(b.levels.data() + i);
        const R over = level * O::reciprocal(O::load(b.slows.data() + i));
        const R under = O::load(b.lates.data() + i) * O::reciprocal(level);
        const R beginning = O::min(O::log2(over), mostAttack);
        const R end = O::min(O::log2(under), mostSustain);
        O::store(b.octaves.data() + i, O::fma(m_attack, beginning, m_sustain * end));
    }
    [[gnu::always_inline]] void gain(int i) const noexcept {
        O::store(b.gains.data() + i,
                 O::fma(m_mix, O::exp2(O::load(b.octaves.data() + i)) - R(1.0F), R(1.0F)));
    }

  private:
    TransientBank& b;
    R m_attack, m_sustain, m_mix;
};

template <class V, class R> void gainsOfLevels(TransientBank& b, int frames) noexcept {
    const V stay(1.0F - b.smooth);
    const V smooth(1.0F - (1.0F - b.smooth));
    constexpr int kStep = kLaneStep<R>;
    const int end = (frames * kLanes + kStep - 1) / kStep * kStep;
    for (int lane = 0; lane < kLanes; lane += Ops<V>::kWidth) {
        const OctaveSteps<V, R> steps(b, lane);
        V shape = at<V>(b.shape, lane);
        for (int i = lane; i < end + 2 * kStep; i += kStep) {
            if (i < end)
                steps.want(i);
            for (int j = i - kStep; j >= lane && j < i && j < frames * kLanes; j += kLanes) {
                shape = Ops<V>::fma(stay, shape, smooth * Ops<V>::load(b.octaves.data() + j));
                Ops<V>::store(b.octaves.data() + j, shape);
            }
            if (i >= 2 * kStep)
                steps.gain(i - 2 * kStep);
        }
        Ops<V>::store(b.shape.data() + lane, shape);
    }
}

template <class V> void shapeGroup(TransientBank& b, const float* heard, int frames) noexcept {
    inCells<V>(b.window, frames, [&](int from, int count) { followCell<V>(b, heard, from, count); });
    gainsOfLevels<V, typename RunOf<V>::type>(b, frames);
}

} // namespace
} // namespace cask::dsp
