// What a person wants of the hits of an element or bus, and the gentlest settings that give it.
#pragma once

#include <array>
#include <core/base/parallel.h>
#include <core/base/progress.h>
#include <core/dsp/compressor_settings.h>
#include <core/dsp/limiter.h>
#include <core/dsp/pump_settings.h>
#include <core/dsp/transient_settings.h>
#include <core/measure/hits/hit_material.h>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

namespace cask::measure {

/// In this order: stored in tables.
enum class Wish { Snap, Thick, Even, Glue, Control, TameTail, Duck, DeHarsh };
/// Stored and typed: do not change.
inline constexpr std::array<std::string_view, 8> kWishIds = {"snap",    "thick",     "even", "glue",
                                                             "control", "tame_tail", "duck", "de_harsh"};
/// As people read it.
inline constexpr std::array<std::string_view, 8> kWishWords = {
    "snap", "thick", "even", "glue", "control peaks", "tame the tail", "duck", "de-harsh"};
[[nodiscard]] std::optional<Wish> wishNamed(std::string_view id);
[[nodiscard]] constexpr std::string_view wishWords(Wish wish) {
    return kWishWords[static_cast<std::size_t>(wish)];
}

/// From when on a wish is fulfilled.
struct WishGoals {
    double snapDb = 2;
    double thickDb = 2;
    double evenDb = 3;
    double evenRangeDb = 3; ///< so even needs no more
    double glueDb = 1;
    double controlDb = 3;
    double tailDb = 3;
    double duckDb = 4;
    double harshDb = 2;
    double keptAttackDb = -1;   ///< of Snap, Glue and TameTail
    double recoverPercent = 95; ///< of Snap, Control and Duck
    double otherLossDb = 0.5;   ///< of DeHarsh: what lies under the band may lose
    [[nodiscard]] double of(Wish wish) const;
};

using WishSound = std::vector<std::vector<float>>;

/// What a sound has of a wish, against the sound before; by the sounds alone.
struct WishMeasure {
    /// Of what is wished for, dB. Snap: medians over own hits of punch (first 10 ms over 10 to 120 ms), what
    /// it is more. Thick: what it is less. Even: what the range of peaks (10th to 95th percentile) is less.
    /// Glue: what the last 30 ms before the next hit gain on 10 to 120 ms, median. Control: what the 95th
    /// percentile of peaks is less, at equal loudness. TameTail: what 60 to 400 ms lose against the first 10
    /// ms, median. Duck: what the first 60 ms of each hit of the key are less, median. DeHarsh: what the 90th
    /// percentile of the hits' first 40 ms is less from 3 to 9 kHz.
    double reachedDb = 0;
    double goalDb = 0;
    double keptAttackDb = 0;       ///< median change of the first 10 ms at equal loudness
    double matchDb = 0;            ///< gain that makes it as loud as it was
    double recoveredPercent = 100; ///< of hits before whose next one it is held down by less than 1 dB
    double ghostsDb = 0;           ///< change of the peaks of ghosts at equal loudness; 0 without any
    double spillDb = 0;            ///< of the drum whose spill is raised most, at equal loudness; 0 without
    int spillDrum = -1;
    double otherDb = 0;  ///< DeHarsh: change under 2 kHz, median
    double rangeDb = 0;  ///< of the peaks that it leaves, 10th to 95th percentile
    double effortDb = 0; ///< mean of what beginnings, bodies and ends are changed by: how gentle it is
    bool isReached = false;
};
/// Wishes that no beginning may be eaten for.
[[nodiscard]] constexpr bool mustKeepAttack(Wish wish) {
    return wish == Wish::Snap || wish == Wish::Glue || wish == Wish::TameTail;
}
/// Wishes that must let go before the next hit.
[[nodiscard]] constexpr bool mustRecover(Wish wish) {
    return wish == Wish::Snap || wish == Wish::Control || wish == Wish::Duck;
}
/// Whether what was measured fulfils the wish and keeps its conditions.
[[nodiscard]] bool fulfils(Wish wish, const WishMeasure& measured, const WishGoals& goals);

/// A module of a way.
using WishModule =
    std::variant<dsp::CompressorSettings, dsp::TransientSettings, dsp::PumpSettings, dsp::LimiterSettings>;

/// One way to a wish: one or two modules, in order.
struct WishWay {
    std::string_view id;    ///< "slow", "shaper", "two", ...: stored, do not change
    std::string_view words; ///< "a slow compressor"
    std::vector<WishModule> modules;
    std::vector<double> beatsS = {}; ///< that its pump follows
};

/// Judges sounds against one material; its own measures are taken once. Thread-safe once made.
class WishJudge {
  public:
    WishJudge(Wish wish, const WishGoals& goals, const HitMaterial& material);
    ~WishJudge();
    WishJudge(WishJudge&&) noexcept;
    WishJudge(const WishJudge&) = delete;
    WishJudge& operator=(const WishJudge&) = delete;
    WishJudge& operator=(WishJudge&&) = delete;

    /// Whether there is anything to judge: own hits, and for Glue and TameTail ends of them.
    [[nodiscard]] bool canJudge() const;
    /// `after`: the material's stretch behind the processing, latency and make-up taken out.
    [[nodiscard]] WishMeasure measure(const WishSound& after) const;
    /// Of what comes out of each way, for which nothing of it is kept. REQUIRES: made for this material.
    [[nodiscard]] std::vector<WishMeasure> measureBehind(const HitMaterial& material,
                                                         std::span<const WishWay> ways,
                                                         const CancelToken& cancel = {}) const;

  private:
    struct Before;
    std::unique_ptr<Before> m_before;
};

/// What a way comes to.
struct WishAnswer {
    WishWay way;
    WishMeasure measured;
    double heldMs = 0; ///< HitTops::heldMs of a source whose tops were held before; 0: they were not
};
/// How far a way is from gentle, dB: its effort, and what quick releases cost, as they bend the lows.
[[nodiscard]] double costDb(const WishAnswer& answer);

/// Ways to try, gentle ones first, made for the levels and gaps of the material.
[[nodiscard]] std::vector<WishWay> wishWays(Wish wish, const HitMaterial& material);

/// Ways with one value more or less, all modules of a kind alike. Step 1: 3 dB, half an octave of a time.
[[nodiscard]] std::vector<WishWay> waysNear(const WishWay& way, double step);

/// Sounds behind several ways, their look-aheads taken out: eight lanes at a time through the real kernels.
/// Ways have their modules of the same kinds in the same order.
[[nodiscard]] std::vector<WishSound>
soundsBehind(const HitMaterial& material, const std::vector<WishWay>& ways, const CancelToken& cancel = {});

/// The gentlest of each sort of way that reaches the wish, gentlest first; where none does, of each the one
/// that comes nearest, nearest first. wishWays() are tried on a stretch of the material, from the best of a
/// sort it goes on by waysNear(), and the end is measured on all of it. Empty where there is nothing to
/// judge, or once cancelled.
[[nodiscard]] std::vector<WishAnswer> searchWish(Wish wish, const WishGoals& goals,
                                                 const HitMaterial& material, const CancelToken& cancel = {},
                                                 const ParallelFor& parallel = oneByOne);

} // namespace cask::measure
