// The gate over a lane type. Included by kernels_impl.h, once Ops is known.
#pragma once

#include "core/dsp/gate_bank.h"

namespace cask::dsp {
namespace {

/// From levels to the gain before the averages, into the bank's gains.
template <class V, bool HasSlope> void gateStates(GateBank& b, const float* levels, int frames) noexcept {
    using O = Ops<V>;
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        const auto load = [&](const LaneFloats& values) { return O::load(values.data() + lane); };
        const V one(1.0F);
        const V zero(0.0F);
        const V openLevel = load(b.openLevel);
        const V closeLevel = load(b.closeLevel);
        const V openGain = load(b.openGain);
        const V closedGain = load(b.closedGain);
        const V wait = load(b.wait);
        V isOpen = load(b.isOpen);
        V quiet = load(b.quiet);
        V left = load(b.left);
        V raw = load(b.raw);
        V mul = load(b.mul);
        V add = load(b.add);
        V perFrame = load(b.perFrame);
        for (int n = 0; n < frames; ++n) {
            const V level = O::load(levels + n * kLanes + lane);
            const auto opens = !O::less(level, openLevel);
            quiet = O::select(O::less(level, closeLevel), quiet + one, zero);
            // Over the opening level nothing is quiet, also where the closing one is set higher.
            const auto stays = !O::less(wait, quiet);
            const V open = O::select(opens, one, O::select(stays, isOpen, zero));
            const auto closes = O::less(open, isOpen);
            if (O::any(closes)) {
                left = O::select(closes, load(b.release), left);
                O::store(b.raw.data() + lane, raw);
                O::store(b.left.data() + lane, left);
                for (int l = lane; l < lane + O::kWidth; ++l)
                    if (O::isSet(closes, l - lane))
                        b.deriveRelease(l);
                raw = load(b.raw);
                mul = load(b.mul);
                add = load(b.add);
                perFrame = load(b.perFrame);
            }
            isOpen = open;
            const auto isUp = O::less(V(0.5F), isOpen);
            left = O::select(isUp, zero, O::max(left - one, V(-1.0F)));
            const V falling = O::fma(mul, raw, O::fma(perFrame, left, add));
            raw = O::select(isUp, openGain, O::select(O::less(zero, left), falling, closedGain));
            V out = raw;
            if constexpr (HasSlope) {
                const V slope = load(b.slope);
                const V falls = load(b.falls);
                const auto down = O::less(V(0.5F), falls);
                const V octaves = O::log2(O::max(level, V(1e-9F)) / openLevel);
                const V change = O::exp2(
                    O::max(V(-100.0F), O::min(V(100.0F), O::select(down, slope, zero - slope) * octaves)));
                const V byRatio = O::max(openGain, V(3.1622776e-5F)) * change;
                const V followed = O::select(down, O::max(raw, O::max(byRatio, closedGain)),
                                             O::min(raw, O::min(byRatio, closedGain)));
                const auto applies = O::less(zero, slope) & O::less(load(b.lowest), level) & !isUp;
                out = O::select(applies, followed, raw);
            }
            O::store(b.gains.data() + n * kLanes + lane, out);
        }
        O::store(b.isOpen.data() + lane, isOpen);
        O::store(b.quiet.data() + lane, quiet);
        O::store(b.left.data() + lane, left);
        O::store(b.raw.data() + lane, raw);
    }
}

/// The moving averages, in place. Sums of whole numbers: nothing drifts.
inline void gateAverages(GateBank& b, int frames) noexcept {
    constexpr double kRounding = 6755399441055744.0; // 1.5 x 2^52: what is added to it is rounded
    const int mask = static_cast<int>(b.firstRing.size()) - 1;
    for (int n = 0; n < frames; ++n) {
        float* gains = b.gains.data() + n * kLanes;
        LaneDoubles& now = b.firstRing[static_cast<std::size_t>(b.at)];
        LaneDoubles& sums = b.secondRing[static_cast<std::size_t>(b.at)];
        LaneDoubles gone;
        LaneDoubles goneSums;
        if (b.hasOneAttack) {
            gone = b.firstRing[static_cast<std::size_t>((b.at - b.first[0]) & mask)];
            goneSums = b.secondRing[static_cast<std::size_t>((b.at - b.second[0]) & mask)];
        } else {
            for (std::size_t l = 0; l < kLanes; ++l) {
                gone.v[l] = b.firstRing[static_cast<std::size_t>((b.at - b.first[l]) & mask)].v[l];
                goneSums.v[l] = b.secondRing[static_cast<std::size_t>((b.at - b.second[l]) & mask)].v[l];
            }
        }
        for (std::size_t l = 0; l < kLanes; ++l) {
            const double whole = (static_cast<double>(gains[l]) * GateBank::kUnit + kRounding) - kRounding;
            now.v[l] = whole;
            b.firstSum.v[l] += whole - gone.v[l];
            sums.v[l] = b.firstSum.v[l];
            b.secondSum.v[l] += sums.v[l] - goneSums.v[l];
            gains[l] = static_cast<float>(b.secondSum.v[l] * b.share.v[l]);
        }
        b.at = (b.at + 1) & mask;
    }
}

template <class V> void gateGroup(GateBank& b, const float* levels, int frames) noexcept {
    b.hasSlope ? gateStates<V, true>(b, levels, frames) : gateStates<V, false>(b, levels, frames);
    gateAverages(b, frames);
    for (int l = 0; l < kLanes; ++l)
        b.last[l] = b.gains[static_cast<std::size_t>((frames - 1) * kLanes + l)];
}

/// What the detectors of pairs hear: the louder of both sides.
template <class V>
void louderOfPairs(const LaneFloats& isPair, const float* heard, float* levels, int frames) noexcept {
    using O = Ops<V>;
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        const V pair = O::load(isPair.data() + lane);
        for (int n = 0; n < frames; ++n) {
            const V own = O::abs(O::load(heard + n * kLanes + lane));
            const V other = O::abs(O::partner(heard + n * kLanes, lane));
            O::store(levels + n * kLanes + lane, O::max(own, other * pair));
        }
    }
}

} // namespace
} // namespace cask::dsp
