#include "core/measure/punch/wish_numbers.h"
#include "core/measure/punch/wish_run.h"
#include "core/measure/statistics.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace cask::measure {
namespace {

constexpr double kRecoveredDb = 1;
constexpr double kStrongShare = 0.95;
constexpr double kHarshShare = 0.9;

/// Median of the differences where there is something on both sides; nothing without any.
std::optional<double> medianChange(const std::vector<double>& before, const std::vector<double>& after) {
    std::vector<double> changes;
    for (std::size_t i = 0; i < before.size(); ++i)
        if (before[i] > kSilenceDb && after[i] > kSilenceDb)
            changes.push_back(after[i] - before[i]);
    if (changes.empty())
        return std::nullopt;
    return median(std::move(changes));
}

double high(std::vector<double> values, double share) {
    return quantile(values, share);
}

} // namespace

std::optional<Wish> wishNamed(std::string_view id) {
    const auto found = std::find(kWishIds.begin(), kWishIds.end(), id);
    return found == kWishIds.end() ? std::nullopt
                                   : std::optional(static_cast<Wish>(found - kWishIds.begin()));
}

double WishGoals::of(Wish wish) const {
    switch (wish) {
    case Wish::Snap:
        return snapDb;
    case Wish::Thick:
        return thickDb;
    case Wish::Even:
        return evenDb;
    case Wish::Glue:
        return glueDb;
    case Wish::Control:
        return controlDb;
    case Wish::TameTail:
        return tailDb;
    case Wish::Duck:
        return duckDb;
    case Wish::DeHarsh:
        return harshDb;
    }
    return 0;
}

struct WishJudge::Before {
    Wish wish;
    WishGoals goals;
    WishWindows windows;
    WishNumbers numbers;

    [[nodiscard]] WishMeasure judged(const WishNumbers& now) const;

    [[nodiscard]] std::vector<double> differences(const std::vector<double>& a,
                                                  const std::vector<double>& b) const {
        std::vector<double> out;
        for (std::size_t i = 0; i < a.size(); ++i)
            out.push_back(a[i] > kSilenceDb && b[i] > kSilenceDb ? a[i] - b[i] : kSilenceDb);
        return out;
    }

    [[nodiscard]] double reached(const WishNumbers& after, double matchDb) const {
        const WishNumbers& was = numbers;
        const auto gained = [&](std::vector<double> WishNumbers::*what,
                                std::vector<double> WishNumbers::*on) {
            return medianChange(differences(was.*what, was.*on), differences(after.*what, after.*on))
                .value_or(0);
        };
        switch (wish) {
        case Wish::Snap:
            return gained(&WishNumbers::attack, &WishNumbers::body);
        case Wish::Thick:
            return gained(&WishNumbers::body, &WishNumbers::attack);
        case Wish::Even:
            return rangeOf(was) - rangeOf(after);
        case Wish::Glue:
            return gained(&WishNumbers::gap, &WishNumbers::body);
        case Wish::Control:
            return high(was.peak, kStrongShare) - high(after.peak, kStrongShare) - matchDb;
        case Wish::TameTail:
            return gained(&WishNumbers::attack, &WishNumbers::late);
        case Wish::Duck:
            return -medianChange(was.ducked, after.ducked).value_or(0);
        case Wish::DeHarsh:
            return high(was.harsh, kHarshShare) - high(after.harsh, kHarshShare);
        }
        return 0;
    }
    [[nodiscard]] static double rangeOf(const WishNumbers& n) {
        return high(n.peak, kStrongShare) - high(n.peak, 0.1);
    }

    [[nodiscard]] double recoveredPercent(const WishNumbers& after) const {
        int recovered = 0;
        int followed = 0;
        for (std::size_t i = 0; i < windows.hits().size(); ++i) {
            if (!windows.hits()[i].isFollowed || numbers.left[i] <= kSilenceDb)
                continue; // in silence there is nothing that is held down
            ++followed;
            recovered += after.left[i] - numbers.left[i] > -kRecoveredDb ? 1 : 0;
        }
        return followed == 0 ? 100 : 100.0 * recovered / followed;
    }
};

namespace {

WishNumbers numbersOf(const WishWindows& windows, const WishSound& sound) {
    WishFold fold(windows);
    runSound(sound, [&](std::size_t at, const float* lanes, int frames) { fold.add(at, lanes, frames); });
    return fold.numbers(0);
}

} // namespace

WishJudge::WishJudge(Wish wish, const WishGoals& goals, const HitMaterial& material)
    : m_before(std::make_unique<Before>(Before{wish, goals, WishWindows(wish, material), {}})) {
    m_before->numbers = numbersOf(m_before->windows, material.sound);
}

WishJudge::~WishJudge() = default;
WishJudge::WishJudge(WishJudge&&) noexcept = default;

bool WishJudge::canJudge() const {
    const Before& b = *m_before;
    const auto hasAny = [](const std::vector<double>& values) {
        return std::any_of(values.begin(), values.end(), [](double v) { return v > kSilenceDb; });
    };
    if (!hasAny(b.numbers.attack))
        return false;
    switch (b.wish) {
    case Wish::Snap:
    case Wish::Thick:
        return hasAny(b.numbers.body);
    case Wish::Glue:
        return hasAny(b.numbers.gap);
    case Wish::TameTail:
        return hasAny(b.numbers.late);
    default:
        return true;
    }
}

bool fulfils(Wish wish, const WishMeasure& m, const WishGoals& goals) {
    const bool isEven = wish == Wish::Even && m.rangeDb <= goals.evenRangeDb;
    if (m.reachedDb < goals.of(wish) && !isEven)
        return false;
    return (!mustKeepAttack(wish) || m.keptAttackDb >= goals.keptAttackDb) &&
           (!mustRecover(wish) || m.recoveredPercent >= goals.recoverPercent) &&
           (wish != Wish::DeHarsh || m.otherDb >= -goals.otherLossDb);
}

WishMeasure WishJudge::measure(const WishSound& after) const {
    return m_before->judged(numbersOf(m_before->windows, after));
}

std::vector<WishMeasure> WishJudge::measureBehind(const HitMaterial& material, std::span<const WishWay> ways,
                                                  const CancelToken& cancel) const {
    std::vector<WishMeasure> all(ways.size());
    waysTogether(ways, material.sound.size(), material.rateHz, [&](std::size_t from, std::size_t to) {
        WishFold fold(m_before->windows);
        runWays(
            material, ways.subspan(from, to - from),
            [&](std::size_t at, const float* lanes, int frames) { fold.add(at, lanes, frames); }, cancel);
        for (std::size_t i = from; i < to && !cancel.isCancelled(); ++i)
            all[i] = m_before->judged(fold.numbers(i - from));
    });
    return all;
}

WishMeasure WishJudge::Before::judged(const WishNumbers& now) const {
    WishMeasure m;
    m.goalDb = goals.of(wish);
    m.matchDb = numbers.lufs > kSilenceDb && now.lufs > kSilenceDb ? numbers.lufs - now.lufs : 0;
    m.reachedDb = reached(now, m.matchDb);
    const double attack = medianChange(numbers.attack, now.attack).value_or(0);
    m.keptAttackDb = attack + m.matchDb;
    m.effortDb = (std::abs(attack) + std::abs(medianChange(numbers.body, now.body).value_or(0)) +
                  std::abs(medianChange(numbers.late, now.late).value_or(0))) /
                 3;
    m.recoveredPercent = recoveredPercent(now);
    std::vector<double> wereGhosts;
    std::vector<double> areGhosts;
    for (std::size_t i = 0; i < windows.hits().size(); ++i)
        if (windows.hits()[i].isGhost) {
            wereGhosts.push_back(numbers.peak[i]);
            areGhosts.push_back(now.peak[i]);
        }
    if (const auto change = medianChange(wereGhosts, areGhosts))
        m.ghostsDb = *change + m.matchDb;
    std::map<int, std::pair<std::vector<double>, std::vector<double>>> byDrum;
    for (std::size_t i = 0; i < windows.spillDrums().size(); ++i) {
        byDrum[windows.spillDrums()[i]].first.push_back(numbers.spill[i]);
        byDrum[windows.spillDrums()[i]].second.push_back(now.spill[i]);
    }
    for (const auto& [drum, levels] : byDrum)
        if (const auto change = medianChange(levels.first, levels.second);
            change && (m.spillDrum < 0 || *change + m.matchDb > m.spillDb)) {
            m.spillDb = *change + m.matchDb;
            m.spillDrum = drum;
        }
    m.otherDb = medianChange(numbers.other, now.other).value_or(0);
    m.rangeDb = rangeOf(now);
    m.isReached = fulfils(wish, m, goals);
    return m;
}

} // namespace cask::measure
