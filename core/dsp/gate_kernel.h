// The gate over a lane type. Included by kernels_impl.h, once Ops is known.
#pragma once

#include "core/dsp/gate_bank.h"

#include <algorithm>

namespace cask::dsp {
namespace {

/// What the detectors of the lanes from `lane` on hear: of a pair the louder side.
template <class V> inline V louderOfPair(const float* heard, V isPair, int lane) noexcept {
    using O = Ops<V>;
    return O::max(O::abs(O::load(heard + lane)), isPair * O::abs(O::partner(heard, lane)));
}

template <class V>
void louderOfPairs(const LaneFloats& isPair, const float* heard, float* levels, int frames) noexcept {
    using O = Ops<V>;
    for (int lane = 0; lane < kLanes; lane += O::kWidth)
        for (int n = 0; n < frames * kLanes; n += kLanes)
            O::store(levels + n + lane, louderOfPair<V>(heard + n, O::load(isPair.data() + lane), lane));
}

/// Where the level of a gate comes from.
enum class GateHears { Levels, Lanes, Pairs };

/// To the gain before the averages, into the bank's gains: from levels, or from the sound itself.
template <class V, bool HasSlope, GateHears Hears>
void gateStates(GateBank& b, const float* heard, int frames) noexcept {
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
        [[maybe_unused]] const V isPair = load(b.partner);
        auto isOpen = O::less(V(0.5F), load(b.isOpen));
        V quiet = load(b.quiet);
        V left = load(b.left);
        V raw = load(b.raw);
        V mul = load(b.mul);
        V add = load(b.add);
        V perFrame = load(b.perFrame);
        for (int n = 0; n < frames; ++n) {
            const float* frame = heard + n * kLanes;
            V level;
            if constexpr (Hears == GateHears::Pairs)
                level = louderOfPair<V>(frame, isPair, lane);
            else
                level = Hears == GateHears::Levels ? O::load(frame + lane) : O::abs(O::load(frame + lane));
            quiet = O::within(O::less(level, closeLevel), quiet + one);
            // Over the opening level nothing is quiet, also where the closing one is set higher.
            const auto isUp = O::notLess(level, openLevel) | O::without(isOpen, O::less(wait, quiet));
            const auto closes = O::without(isOpen, isUp);
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
            isOpen = isUp;
            left = O::outside(isUp, left - one);
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
        O::store(b.isOpen.data() + lane, O::within(isOpen, one));
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
    const int mask = b.ringFrames - 1;
    double* const firsts = b.firstRing[0].v.data();
    double* const seconds = b.secondRing[0].v.data();
    Wide firstSums[kParts];
    Wide secondSums[kParts];
    Wide shares[kParts];
    for (int p = 0; p < kParts; ++p) {
        firstSums[p] = O::loadWide(b.firstSum.v.data() + p * O::kWide);
        secondSums[p] = O::loadWide(b.secondSum.v.data() + p * O::kWide);
        shares[p] = O::loadWide(b.share.v.data() + p * O::kWide);
    }
    const auto step = [&](float* gains, double* first, double* second, int lane, int p, Wide goneFirst,
                          Wide goneSecond) {
        const Wide whole = (O::widen(gains + lane) * unit + rounding) - rounding;
        O::storeWide(first + lane, whole);
        firstSums[p] = firstSums[p] + (whole - goneFirst);
        O::storeWide(second + lane, firstSums[p]);
        secondSums[p] = secondSums[p] + (firstSums[p] - goneSecond);
        O::narrow(gains + lane, secondSums[p] * shares[p]);
    };
    for (int done = 0, at = b.at; done < frames;) {
        float* gains = b.gains.data() + done * kLanes;
        double* first = firsts + static_cast<std::ptrdiff_t>(at) * kLanes;
        double* second = seconds + static_cast<std::ptrdiff_t>(at) * kLanes;
        int n = 1;
        if constexpr (HasOneAttack) {
            // As far as neither what comes nor what leaves meets the end of its ring.
            const int fromFirst = (at - b.first[0]) & mask;
            const int fromSecond = (at - b.second[0]) & mask;
            const auto until = [&](int place) { return mask + 1 - place; };
            n = std::min({frames - done, until(at), until(fromFirst), until(fromSecond)});
            const double* goneFirst = firsts + static_cast<std::ptrdiff_t>(fromFirst) * kLanes;
            const double* goneSecond = seconds + static_cast<std::ptrdiff_t>(fromSecond) * kLanes;
            for (int i = 0; i < n * kLanes; i += kLanes)
                for (int p = 0; p < kParts; ++p) {
                    const int lane = p * O::kWide;
                    step(gains + i, first + i, second + i, lane, p, O::loadWide(goneFirst + i + lane),
                         O::loadWide(goneSecond + i + lane));
                }
        } else {
            const auto leaving = [&](const double* ring, const std::array<int, kLanes>& lengths, int lane) {
                std::array<double, static_cast<std::size_t>(O::kWide)> values;
                for (int i = 0; i < O::kWide; ++i) {
                    const int from = (at - lengths[static_cast<std::size_t>(lane + i)]) & mask;
                    values[static_cast<std::size_t>(i)] =
                        ring[static_cast<std::ptrdiff_t>(from) * kLanes + lane + i];
                }
                return O::loadWide(values.data());
            };
            for (int p = 0; p < kParts; ++p) {
                const int lane = p * O::kWide;
                step(gains, first, second, lane, p, leaving(firsts, b.first, lane),
                     leaving(seconds, b.second, lane));
            }
        }
        done += n;
        at = (at + n) & mask;
    }
    for (int p = 0; p < kParts; ++p) {
        O::storeWide(b.firstSum.v.data() + p * O::kWide, firstSums[p]);
        O::storeWide(b.secondSum.v.data() + p * O::kWide, secondSums[p]);
    }
    b.at = (b.at + frames) & mask;
}

template <class V> void gateGroup(GateBank& b, const float* heard, const float* levels, int frames) noexcept {
    const auto run = [&]<GateHears Hears>(const float* from) {
        b.hasSlope ? gateStates<V, true, Hears>(b, from, frames)
                   : gateStates<V, false, Hears>(b, from, frames);
    };
    if (levels != nullptr)
        run.template operator()<GateHears::Levels>(levels);
    else if (std::any_of(b.partner.v.begin(), b.partner.v.end(), [](float is) { return is > 0; }))
        run.template operator()<GateHears::Pairs>(heard);
    else
        run.template operator()<GateHears::Lanes>(heard);
    b.hasOneAttack ? gateAverages<V, true>(b, frames) : gateAverages<V, false>(b, frames);
    for (int l = 0; l < kLanes; ++l)
        b.last[l] = b.gains[static_cast<std::size_t>((frames - 1) * kLanes + l)];
}

} // namespace
} // namespace cask::dsp
