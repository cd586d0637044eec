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
            quiet = O::select(O::less(level, closeLevel), quiet + one, zero);
            // Over the opening level nothing is quiet, also where the closing one is set higher.
            const V open =
                O::select(O::less(level, openLevel), O::select(O::less(wait, quiet), zero, isOpen), one);
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
            left = O::select(isUp, zero, left - one);
            const V falling = O::fma(mul, raw, O::fma(perFrame, left, add));
            raw = O::select(O::less(zero, left), falling, O::select(isUp, openGain, closedGain));
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
                const auto applies = O::less(zero, slope) & O::less(load(b.lowest), level);
                out = O::select(isUp, raw, O::select(applies, followed, raw));
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
template <class V, bool HasOneAttack> void gateAverages(GateBank& b, int frames) noexcept {
    using O = Ops<V>;
    using Wide = typename O::Wide;
    constexpr int kParts = kLanes / O::kWide;
    const Wide rounding(6755399441055744.0); // 1.5 x 2^52: what is added to it is rounded
    const Wide unit(GateBank::kUnit);
    const int mask = static_cast<int>(b.firstRing.size()) - 1;
    double* const firsts = b.firstRing[0].v.data();
    double* const seconds = b.secondRing[0].v.data();
    const auto firstLengths = b.first;
    const auto secondLengths = b.second;
    Wide firstSums[kParts];
    Wide secondSums[kParts];
    Wide shares[kParts];
    for (int p = 0; p < kParts; ++p) {
        firstSums[p] = O::loadWide(b.firstSum.v.data() + p * O::kWide);
        secondSums[p] = O::loadWide(b.secondSum.v.data() + p * O::kWide);
        shares[p] = O::loadWide(b.share.v.data() + p * O::kWide);
    }
    // The values that leave an average: of each lane where their lengths differ.
    const auto leaving = [mask](const double* ring, const std::array<int, kLanes>& lengths, int at,
                                int lane) {
        if constexpr (HasOneAttack)
            return O::loadWide(ring + static_cast<std::ptrdiff_t>((at - lengths[0]) & mask) * kLanes + lane);
        std::array<double, static_cast<std::size_t>(O::kWide)> values;
        for (int i = 0; i < O::kWide; ++i)
            values[static_cast<std::size_t>(i)] =
                ring[static_cast<std::ptrdiff_t>((at - lengths[static_cast<std::size_t>(lane + i)]) & mask) *
                         kLanes +
                     lane + i];
        return O::loadWide(values.data());
    };
    float* gains = b.gains.data();
    for (int n = 0, at = b.at; n < frames; ++n, at = (at + 1) & mask) {
        const std::ptrdiff_t place = static_cast<std::ptrdiff_t>(at) * kLanes;
        for (int p = 0; p < kParts; ++p, gains += O::kWide) {
            const int lane = p * O::kWide;
            const Wide whole = (O::widen(gains) * unit + rounding) - rounding;
            O::storeWide(firsts + place + lane, whole);
            firstSums[p] = firstSums[p] + (whole - leaving(firsts, firstLengths, at, lane));
            O::storeWide(seconds + place + lane, firstSums[p]);
            secondSums[p] = secondSums[p] + (firstSums[p] - leaving(seconds, secondLengths, at, lane));
            O::narrow(gains, secondSums[p] * shares[p]);
        }
    }
    for (int p = 0; p < kParts; ++p) {
        O::storeWide(b.firstSum.v.data() + p * O::kWide, firstSums[p]);
        O::storeWide(b.secondSum.v.data() + p * O::kWide, secondSums[p]);
    }
    b.at = (b.at + frames) & mask;
}

template <class V> void gateGroup(GateBank& b, const float* levels, int frames) noexcept {
    b.hasSlope ? gateStates<V, true>(b, levels, frames) : gateStates<V, false>(b, levels, frames);
    b.hasOneAttack ? gateAverages<V, true>(b, frames) : gateAverages<V, false>(b, frames);
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
