// Delays of lanes, and what becomes of what comes out of them. Included by kernels_impl.h, once Ops is known.
#pragma once

#include "core/dsp/kernels.h"
#include "core/dsp/lane_delay.h"

#include <algorithm>
#include <type_traits>

namespace cask::dsp {
namespace {

/// act(register type, first of its values) over frames of all lanes, in the widest registers and, where those
/// don't come out even, a last one of one frame.
template <class V, class Act> inline void inWidest(int frames, const Act& act) noexcept {
    using R = typename WidestOf<V>::type;
    constexpr int kStep = Ops<R>::kWidth;
    int i = 0;
    for (; i + kStep <= frames * kLanes; i += kStep)
        act(std::type_identity<R>(), i);
    if constexpr (kStep > kLanes)
        if (i < frames * kLanes)
            act(std::type_identity<V>(), i);
}

/// Values by lane in registers of R, by the place of what they meet.
template <class R> class ByLane {
    static constexpr int kParts = Ops<R>::kWidth < kLanes ? kLanes / Ops<R>::kWidth : 1;

  public:
    explicit ByLane(const LaneFloats& values) noexcept {
        for (int p = 0; p < kParts; ++p)
            m_parts[p] = Ops<R>::loadLanes(values, p * Ops<R>::kWidth);
    }
    [[gnu::always_inline]] R& at(int place) noexcept { return m_parts[partOf(place)]; }
    [[gnu::always_inline]] const R& at(int place) const noexcept { return m_parts[partOf(place)]; }
    void store(LaneFloats& values) const noexcept {
        for (int p = 0; p < kParts; ++p)
            Ops<R>::store(values.data() + p * Ops<R>::kWidth, m_parts[p]);
    }

  private:
    static int partOf(int place) noexcept { return kParts == 1 ? 0 : place % kLanes / Ops<R>::kWidth; }
    R m_parts[kParts];
};

/// The usual case: all lanes that wait do so for as long. `finish(x, place)` is what becomes of a register;
/// `HasState`: it must meet one frame after the other.
template <class V, bool IsAll, bool HasState, class Finish>
void delayAlike(LaneDelay& delay, float* io, int frames, const Finish& finish) noexcept {
    const int mask = delay.size() - 1;
    for (int done = 0, n = 0; done < frames; done += n) {
        // As far as neither what comes nor what leaves meets the end of the ring.
        const int from = (delay.at - delay.taps[0].frames) & mask;
        n = std::min(frames - done, mask + 1 - std::max(delay.at, from));
        float* const come = delay.ring.data() + delay.at * kLanes;
        const float* const leave = delay.ring.data() + from * kLanes;
        const int first = done * kLanes;
        const auto act = [&]<class R>(std::type_identity<R>, int i) __attribute__((always_inline)) {
            using O = Ops<R>;
            // Of two frames the second one that comes may take the place of the first one that leaves; one
            // that comes never leaves at once, because a ring for one frame ends after each.
            R out = O::load(leave + i);
            const R now = O::load(io + first + i);
            O::store(come + i, now);
            if constexpr (!IsAll)
                out = O::select(O::less(R(0.5F), O::loadLanes(delay.taps[0].isTaken, i % kLanes)), out, now);
            O::store(io + first + i, finish(out, first + i));
        };
        if constexpr (HasState)
            for (int i = 0; i < n * kLanes; i += Ops<V>::kWidth)
                act(std::type_identity<V>(), i);
        else
            inWidest<V>(n, act);
        delay.at = (delay.at + n) & mask;
    }
}

template <class V, bool HasState = false, class Finish>
void delayLanes(LaneDelay& delay, float* io, int frames, const Finish& finish) noexcept {
    using O = Ops<V>;
    if (delay.tapCount == 1) {
        const auto& taken = delay.taps[0].isTaken.v;
        if (std::all_of(taken.begin(), taken.end(), [](float is) { return is > 0; }))
            return delayAlike<V, true, HasState>(delay, io, frames, finish);
        return delayAlike<V, false, HasState>(delay, io, frames, finish);
    }
    const int mask = delay.size() - 1; // -1 where there is no ring
    for (int n = 0; n < frames; ++n) {
        for (int lane = 0; lane < kLanes; lane += O::kWidth) {
            const int place = n * kLanes + lane;
            V out = O::load(io + place);
            if (delay.tapCount > 0)
                O::store(delay.ring.data() + delay.at * kLanes + lane, out);
            for (int i = 0; i < delay.tapCount; ++i) {
                const auto& tap = delay.taps[static_cast<std::size_t>(i)];
                const int from = (delay.at - tap.frames) & mask;
                out = O::select(O::less(V(0.5F), O::load(tap.isTaken.data() + lane)),
                                O::load(delay.ring.data() + from * kLanes + lane), out);
            }
            O::store(io + place, finish(out, place));
        }
        delay.at = (delay.at + 1) & mask;
    }
}

template <class V> void delayGroup(LaneDelay& delay, float* io, int frames) noexcept {
    delayLanes<V>(delay, io, frames, [](auto x, int) { return x; });
}

template <class V>
void delayAndMultiply(LaneDelay& delay, const float* gains, float* io, int frames) noexcept {
    delayLanes<V>(delay, io, frames,
                  [gains]<class R>(R x, int place) { return x * Ops<R>::load(gains + place); });
}

template <class V>
void addShapedGroup(ShapedMix& m, LaneDelay& delay, const float* changed, float* io, int frames) noexcept {
    const ByLane<V> mix(m.mix);
    const ByLane<V> output(m.output);
    if (std::all_of(m.blocks.v.begin(), m.blocks.v.end(), [](float blocks) { return blocks == 0; })) {
        using W = typename WidestOf<V>::type;
        const ByLane<W> wideMix(m.mix);
        const ByLane<W> wideOutput(m.output);
        m.mean = {};
        delayLanes<V>(
            delay, io, frames, [&]<class R>(R x, int place) __attribute__((always_inline)) {
                const R d = Ops<R>::load(changed + place);
                if constexpr (std::is_same_v<R, V>)
                    return output.at(place) * Ops<R>::fma(mix.at(place), d, x);
                else
                    return wideOutput.at(place) * Ops<R>::fma(wideMix.at(place), d, x);
            });
        return;
    }
    using O = Ops<V>;
    const ByLane<V> blocks(m.blocks);
    const V share(m.share);
    const V stay = V(1.0F) - share;
    ByLane<V> mean(m.mean);
    delayLanes<V, true>(
        delay, io, frames, [&](V x, int place) __attribute__((always_inline)) {
            const V d = O::load(changed + place);
            // The shortest way from frame to frame. Nothing is kept where nothing is taken off.
            const V next = O::fma(stay, mean.at(place), share * (x + d));
            mean.at(place) = O::within(O::less(V(0.0F), blocks.at(place)), next);
            return output.at(place) * O::fma(mix.at(place), d - blocks.at(place) * mean.at(place), x);
        });
    mean.store(m.mean);
}

template <class V> void multiplyGroup(const float* gains, float* io, int frames) noexcept {
    inWidest<V>(frames, [&]<class R>(std::type_identity<R>, int i) {
        Ops<R>::store(io + i, Ops<R>::load(io + i) * Ops<R>::load(gains + i));
    });
}

} // namespace
} // namespace cask::dsp
