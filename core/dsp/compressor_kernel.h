// The compressor over a lane type. Included by kernels_impl.h, once Ops is known.
#pragma once

#include "core/dsp/compressor_bank.h"
#include "core/dsp/pair_part.h"
#include "core/dsp/window_max_kernel.h"

#include <algorithm>
#include <utility>

namespace cask::dsp {
namespace {

/// Under this a level is silence: -120 dBFS, and its square.
inline constexpr float kSilentLevel = 1e-6F;

/// The mean squares of exact windows. Sums in double of the very squares that are taken out again: the
/// rounding of an hour stays under -110 dBFS.
template <class V, bool HasParts>
void meanSquares(CompressorBank& b, const float* heard, int frames) noexcept {
    using O = Ops<V>;
    const int mask = static_cast<int>(b.squares.size()) / kLanes - 1;
    for (int n = 0; n < frames; ++n) {
        float* now = b.squares.data() + b.squareAt * kLanes;
        for (int lane = 0; lane < kLanes; lane += O::kWidth) {
            const V x = partOf<V, HasParts>(b, heard + n * kLanes, lane);
            O::store(now + lane, x * x);
        }
        std::array<float, kLanes> gone;
        for (std::size_t l = 0; l < kLanes; ++l)
            gone[l] =
                b.squares[static_cast<std::size_t>((b.squareAt - b.windowFrames[l]) & mask) * kLanes + l];
        float* means = b.levels.data() + n * kLanes;
        for (std::size_t l = 0; l < kLanes; ++l) {
            b.squareSums[l] += static_cast<double>(now[l]) - static_cast<double>(gone[l]);
            means[l] = static_cast<float>(b.squareSums[l] * b.windowShare[l]);
        }
        b.squareAt = (b.squareAt + 1) & mask;
    }
}

/// Levels of so many frames of one cell: peaks, and in lanes of that kind the mean squares that are there.
template <class V, bool HasParts, bool HasRms>
void levelsOf(CompressorBank& b, const float* heard, float* levels, int frames) noexcept {
    using O = Ops<V>;
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        V cell = at<V>(b.window.cell, lane);
        const V earlier = at<V>(b.window.earlier, lane);
        const auto isRms = O::less(V(0.5F), at<V>(b.isRms, lane));
        for (int n = 0; n < frames; ++n) {
            float* level = levels + n * kLanes + lane;
            cell = O::max(cell, O::abs(partOf<V, HasParts>(b, heard + n * kLanes, lane)));
            V value = O::max(cell, earlier);
            if constexpr (HasRms)
                value = O::select(isRms, O::max(O::load(level), V(kSilentLevel * kSilentLevel)), value);
            O::store(level, value);
        }
        O::store(b.window.cell.data() + lane, cell);
    }
}

/// Levels become octaves in place. A piece has room for whole registers.
template <class R, bool HasRms> void toOctaves(const CompressorBank& b, float* levels, int frames) noexcept {
    using O = Ops<R>;
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        const R root = R(1.0F) - R(0.5F) * O::loadLanes(b.isRms, lane); // of a mean square
        for (int i = lane; i < frames * kLanes; i += kLaneStep<R>) {
            const R octaves = O::log2(O::load(levels + i));
            O::store(levels + i, HasRms ? octaves * root : octaves);
        }
    }
}

/// What of a piece's work some lane needs.
enum : unsigned { kPairs = 1, kParts = 2, kSlow = 4, kTurned = 8 };

/// Frames of a lane type.
template <class R> constexpr int kFramesOf = Ops<R>::kWidth < kLanes ? 1 : Ops<R>::kWidth / kLanes;

/// The bent line from a level to the change of gain that it asks for, and from a change to the sound.
template <class R, unsigned Has> class GainLaw {
    using O = Ops<R>;

  public:
    GainLaw(CompressorBank& bank, int lane) noexcept
        : m_bank(bank), m_lane(lane), m_side(O::loadLanes(bank.side, lane)),
          m_knee(O::loadLanes(bank.values.knee, lane)),
          // past = side (level - threshold) + knee / 2: the bend is from 0 to the knee
          m_shift(R(0.5F) * m_knee - m_side * O::loadLanes(bank.values.threshold, lane)),
          m_bend(R(0.5F) / O::max(m_knee, R(1e-9F))), m_slope(O::loadLanes(bank.values.slope, lane)),
          m_range(O::loadLanes(bank.values.range, lane)), m_link(O::loadLanes(bank.values.link, lane)),
          m_way(O::loadLanes(bank.way, lane)), m_makeup(O::loadLanes(bank.values.makeup, lane)),
          m_mix(O::loadLanes(bank.values.mix, lane)) {}
    /// Into the bank's changes, from frame n on.
    void findGoal(const float* levels, int n) const noexcept {
        R level = O::load(levels + n * kLanes + m_lane);
        if constexpr ((Has & kPairs) != 0)
            level = O::fma(m_link, O::max(O::partner(levels + n * kLanes, m_lane) - level, R(0.0F)), level);
        const R past = O::max(O::fma(m_side, level, m_shift), R(0.0F));
        const R bent = O::min(past, m_knee);
        const R over = O::fma(bent, O::fma(bent, m_bend, R(-1.0F)), past);
        O::store(m_bank.changes.data() + n * kLanes + m_lane, O::min(m_slope * over, m_range));
    }
    /// Of the bank's changes.
    void apply(float* io, int n) const noexcept {
        // With a gain of 1 exactly 1, whatever the mix.
        const R change = O::load(m_bank.changes.data() + n * kLanes + m_lane);
        const R gain = O::fma(m_mix, O::exp2(O::fma(m_way, change, m_makeup)), R(1.0F) - m_mix);
        float* frame = io + n * kLanes;
        if constexpr ((Has & kParts) != 0) {
            // Both sides of a pair are read before either is written.
            const R own = O::loadLanes(m_bank.own, m_lane);
            const R partner = O::loadLanes(m_bank.partner, m_lane);
            const R sound = O::load(frame + m_lane);
            const R part = O::fma(own, sound, partner * O::partner(frame, m_lane));
            O::store(m_bank.partnered.data() + n * kLanes + m_lane, O::fma(gain - R(1.0F), part, sound));
        } else {
            O::store(frame + m_lane, gain * O::load(frame + m_lane));
        }
    }

  private:
    CompressorBank& m_bank;
    int m_lane;
    R m_side, m_knee, m_shift, m_bend, m_slope, m_range, m_link, m_way, m_makeup, m_mix;
};

/// From levels to gains, and onto the sound.
template <class V, unsigned Has>
void applyGain(CompressorBank& b, const float* levels, float* io, int frames) noexcept {
    using O = Ops<V>;
    using R = typename WidestOf<V>::type;
    const CompressorValues& v = b.values;
    for (int lane = 0; lane < kLanes; lane += O::kWidth) {
        const GainLaw<R, Has> some(b, lane);
        const GainLaw<V, Has> one(b, lane);
        const V range = at<V>(v.range, lane);
        const V rise = at<V>(v.rise, lane);
        const V fall = at<V>(v.fall, lane);
        const V stayRise = V(1.0F) - rise;
        const V stayFall = V(1.0F) - fall;
        const auto risesFaster = O::less(fall, rise);
        V reduction = at<V>(b.reduction, lane);
        V slow = at<V>(b.slow, lane);
        V grabbed = at<V>(b.grabbed, lane);
        V shown = reduction;
        float* const changes = b.changes.data() + lane;
        const auto follow = [&](int n) {
            V goal = O::load(changes + n * kLanes);
            if constexpr ((Has & kSlow) != 0) {
                grabbed = O::fma(at<V>(v.grabFollow, lane), goal - grabbed, grabbed);
                const V passed = O::fma(at<V>(v.grabShare, lane), goal - grabbed, goal);
                goal = O::min(O::max(passed, V(0.0F)), range);
            }
            const V up = O::fma(stayRise, reduction, rise * goal);
            const V down = O::fma(stayFall, reduction, fall * goal);
            // The faster of the two is the higher one on the way up and the lower one on the way down.
            reduction = O::max(up, down);
            if constexpr ((Has & kTurned) != 0)
                reduction = O::select(risesFaster, reduction, O::min(up, down));
            shown = reduction;
            if constexpr ((Has & kSlow) != 0) {
                const V held = at<V>(v.slowShare, lane) * goal;
                const V speed =
                    O::select(O::less(slow, held), at<V>(v.slowRise, lane), at<V>(v.slowFall, lane));
                slow = O::fma(speed, held - slow, slow);
                shown = O::max(reduction, slow);
            }
            O::store(changes + n * kLanes, shown);
        };
        // One after the other, each a few frames behind: what waits for the frame before it in one of them
        // leaves the processor free for the other two.
        constexpr int kStep = kFramesOf<R>;
        constexpr int kBehind = 4;
        int n = 0;
        const auto step = [&](int end) {
            for (; n < end; ++n) {
                if (n < frames)
                    one.findGoal(levels, n);
                if (n >= kBehind && n < frames + kBehind)
                    follow(n - kBehind);
                if (n >= 2 * kBehind)
                    one.apply(io, n - 2 * kBehind);
            }
        };
        step(2 * kBehind);
        for (; n + kStep <= frames; n += kStep) {
            some.findGoal(levels, n);
            for (int i = 0; i < kStep; ++i)
                follow(n - kBehind + i);
            some.apply(io, n - 2 * kBehind);
        }
        step(frames + 2 * kBehind);
        O::store(b.reduction.data() + lane, reduction);
        O::store(b.slow.data() + lane, slow);
        O::store(b.grabbed.data() + lane, grabbed);
        O::store(b.gain.data() + lane, O::exp2(at<V>(b.way, lane) * shown));
    }
    if constexpr ((Has & kParts) != 0)
        for (int i = 0; i < frames * kLanes; ++i)
            io[i] = b.partnered[static_cast<std::size_t>(i)];
}

using ApplyGain = void (*)(CompressorBank&, const float*, float*, int) noexcept;

template <class V> ApplyGain applierFor(unsigned has) noexcept {
    return []<std::size_t... Has>(std::index_sequence<Has...>, unsigned wanted) {
        constexpr std::array<ApplyGain, sizeof...(Has)> kAll{&applyGain<V, Has>...};
        return kAll[wanted];
    }
    (std::make_index_sequence<16>{}, has);
}

template <class V, bool HasParts, bool HasRms>
void compressPiece(CompressorBank& b, const float* heard, float* io, int frames) noexcept {
    if constexpr (HasRms)
        meanSquares<V, HasParts>(b, heard, frames);
    inCells<V>(b.window, frames, [&](int from, int count) {
        levelsOf<V, HasParts, HasRms>(b, heard + from * kLanes, b.levels.data() + from * kLanes, count);
    });
    toOctaves<typename RunOf<V>::type, HasRms>(b, b.levels.data(), frames);
    const unsigned has = (b.hasPairs ? kPairs : 0U) | (HasParts ? kParts : 0U) | (b.hasSlow ? kSlow : 0U) |
                         (b.hasTurned ? kTurned : 0U);
    applierFor<V>(has)(b, b.levels.data(), io, frames);
}

template <class V> void compressGroup(CompressorBank& b, const float* heard, float* io, int frames) noexcept {
    constexpr int kPiece = CompressorBank::kPiece;
    const auto piece = b.hasParts
                           ? (b.hasRms ? &compressPiece<V, true, true> : &compressPiece<V, true, false>)
                           : (b.hasRms ? &compressPiece<V, false, true> : &compressPiece<V, false, false>);
    for (int done = 0; done < frames; done += kPiece)
        piece(b, heard + done * kLanes, io + done * kLanes, frames - done < kPiece ? frames - done : kPiece);
}

} // namespace
} // namespace cask::dsp
