#include "core/dsp/lane.h"
#include "core/measure/punch/wishes.h"

#include <algorithm>
#include <cmath>
#include <span>

namespace cask::measure {
namespace {

using dsp::kLanes;

// Ways are tried on so much, and on less where it has so many own hits.
constexpr double kMostStretchS = 15;
constexpr double kLeastStretchS = 6;
constexpr std::size_t kEnoughHits = 20;
// What is found on a stretch is to hold on all.
constexpr double kSpareDb = 0.05;
constexpr double kSparePercent = 1;
constexpr int kMostAsked = 3;       // times, each time for what was missing on all of it
constexpr double kAskedOver = 1.25; // times what was missing
constexpr double kOverDb = 0.2;     // so much more than is wished for is let be
constexpr int kMostRounds = 4;      // from one way to a better one, at each width of the steps
constexpr std::array kSteps = {1.0, 0.5, 0.25};
constexpr double kNearDb = 0.4;     // missing of a wish
constexpr int kMostRoundsOnAll = 2; // takes are long

/// How long a stretch around the middle has to be.
double stretchS(const HitMaterial& m) {
    const double middleS = (m.startS + m.endS()) / 2;
    std::vector<double> away;
    for (const auto& hit : m.hits)
        if (hit.isOwn)
            away.push_back(std::abs(hit.timeS - middleS));
    if (away.size() <= kEnoughHits)
        return kMostStretchS;
    std::nth_element(away.begin(), away.begin() + kEnoughHits, away.end());
    return std::clamp(2 * away[kEnoughHits], kLeastStretchS, kMostStretchS);
}

/// The stretch of the middle, with the hits that are in it.
HitMaterial stretchOf(const HitMaterial& m) {
    const auto most = static_cast<std::size_t>(stretchS(m) * m.rateHz);
    if (m.frames() <= most)
        return m;
    const std::size_t from = (m.frames() - most) / 2;
    HitMaterial part;
    part.rateHz = m.rateHz;
    part.startS = m.startS + static_cast<double>(from) / m.rateHz;
    const auto cut = [&](const WishSound& sound) {
        WishSound out;
        for (const auto& channel : sound)
            out.emplace_back(channel.begin() + static_cast<std::ptrdiff_t>(from),
                             channel.begin() + static_cast<std::ptrdiff_t>(from + most));
        return out;
    };
    part.sound = cut(m.sound);
    part.key = cut(m.key);
    part.beatsS = m.beatsS;
    for (const auto& hit : m.hits)
        if (hit.timeS >= part.startS && hit.timeS < part.endS())
            part.hits.push_back(hit);
    return part;
}

/// The goals with so much more on all of them.
WishGoals withMore(WishGoals goals, double db, double percent) {
    for (double* goal : {&goals.snapDb, &goals.thickDb, &goals.evenDb, &goals.glueDb, &goals.controlDb,
                         &goals.tailDb, &goals.duckDb, &goals.harshDb})
        *goal += db;
    goals.evenRangeDb -= db;
    goals.recoverPercent = std::min(100.0, goals.recoverPercent + percent);
    return goals;
}

/// How far a way is from its goal, dB: what is missing of it, and of its conditions.
double missing(Wish wish, const WishMeasure& m, const WishGoals& goals) {
    double db = std::max(0.0, goals.of(wish) - m.reachedDb);
    if (mustKeepAttack(wish))
        db += std::max(0.0, goals.keptAttackDb - m.keptAttackDb);
    if (mustRecover(wish))
        db += 0.05 * std::max(0.0, goals.recoverPercent - m.recoveredPercent);
    if (wish == Wish::DeHarsh)
        db += std::max(0.0, -goals.otherLossDb - m.otherDb);
    return db;
}

/// The search for one wish on a stretch.
class Search {
  public:
    Search(Wish wish, const HitMaterial& stretch, const WishJudge& judge, const CancelToken& cancel,
           const ParallelFor& parallel)
        : m_wish(wish), m_stretch(stretch), m_judge(judge), m_cancel(cancel), m_parallel(parallel) {}

    [[nodiscard]] bool isBetter(const WishAnswer& a, const WishAnswer& b, const WishGoals& goals) const {
        const bool isReached = fulfils(m_wish, a.measured, goals);
        if (isReached != fulfils(m_wish, b.measured, goals))
            return isReached;
        return isReached ? costDb(a) < costDb(b)
                         : missing(m_wish, a.measured, goals) < missing(m_wish, b.measured, goals);
    }

    /// What each way comes to. Ways have their modules of the same kinds in the same order.
    [[nodiscard]] std::vector<WishAnswer> tried(const std::vector<WishWay>& ways) const {
        std::vector<WishAnswer> answers;
        for (const auto& way : ways)
            answers.push_back({way, {}});
        inPieces(m_parallel, ways.size(), kLanes / m_stretch.sound.size(),
                 [&](std::size_t from, std::size_t to) {
                     const auto some = std::span(ways).subspan(from, to - from);
                     const auto measured = m_judge.measureBehind(m_stretch, some, m_cancel);
                     for (std::size_t i = 0; i < measured.size(); ++i)
                         answers[from + i].measured = measured[i];
                 });
        return answers;
    }

    [[nodiscard]] const WishAnswer& best(const std::vector<WishAnswer>& answers,
                                         const WishGoals& goals) const {
        return *std::min_element(
            answers.begin(), answers.end(),
            [&](const WishAnswer& a, const WishAnswer& b) { return isBetter(a, b, goals); });
    }

    /// From one answer on to better ones next to it, by ever smaller steps.
    [[nodiscard]] WishAnswer refined(WishAnswer at, const WishGoals& goals,
                                     std::span<const double> steps = kSteps,
                                     int mostRounds = kMostRounds) const {
        for (const double step : steps)
            for (int round = 0; round < mostRounds && !m_cancel.isCancelled(); ++round) {
                const auto near = tried(waysNear(at.way, step));
                if (near.empty())
                    return at;
                const WishAnswer& next = best(near, goals);
                if (m_cancel.isCancelled() || !isBetter(next, at, goals))
                    break;
                at = next;
            }
        return at;
    }

  private:
    Wish m_wish;
    const HitMaterial& m_stretch;
    const WishJudge& m_judge;
    const CancelToken& m_cancel;
    const ParallelFor& m_parallel;
};

} // namespace

double costDb(const WishAnswer& answer) {
    constexpr double kSlowEnoughMs = 80;
    constexpr double kDbPerHalf = 0.25;
    double quickDb = 0;
    const auto add = [&](double releaseMs) {
        quickDb += kDbPerHalf * std::max(0.0, std::log2(kSlowEnoughMs / releaseMs));
    };
    for (const auto& module : answer.way.modules)
        if (const auto* c = std::get_if<dsp::CompressorSettings>(&module))
            add(c->releaseMs);
        else if (const auto* limiter = std::get_if<dsp::LimiterSettings>(&module))
            add(limiter->releaseMs);
    return answer.measured.effortDb + quickDb / static_cast<double>(answer.way.modules.size());
}

std::vector<WishAnswer> searchWish(Wish wish, const WishGoals& goals, const HitMaterial& material,
                                   const CancelToken& cancel, const ParallelFor& parallel) {
    std::vector<WishAnswer> best;
    if (material.frames() == 0)
        return best;
    const HitMaterial stretch = stretchOf(material);
    const WishJudge onStretch(wish, goals, stretch);
    const WishJudge onAll(wish, goals, material);
    if (!onStretch.canJudge() || !onAll.canJudge() || cancel.isCancelled())
        return best;
    // Ways of one sort together, as they run side by side.
    std::vector<std::vector<WishWay>> sorts;
    for (auto& way : wishWays(wish, stretch)) {
        if (sorts.empty() || sorts.back().front().id != way.id)
            sorts.emplace_back();
        sorts.back().push_back(std::move(way));
    }
    const Search search(wish, stretch, onStretch, cancel, parallel);
    const Search onWhole(wish, material, onAll, cancel, parallel);
    for (const auto& ways : sorts) {
        WishGoals strict = withMore(goals, kSpareDb, kSparePercent);
        const auto all = search.tried(ways);
        if (cancel.isCancelled())
            return {};
        WishAnswer at = search.best(all, strict);
        std::optional<WishAnswer> found;
        for (int asked = 0; asked < kMostAsked; ++asked) {
            at = search.refined(std::move(at), strict);
            const WishAnswer heard{at.way, onAll.measureBehind(material, {&at.way, 1}, cancel).front()};
            if (cancel.isCancelled())
                return {};
            if (!found || search.isBetter(heard, *found, goals))
                found = heard;
            const WishMeasure& m = heard.measured;
            if (!fulfils(wish, at.measured, strict))
                break;
            if (m.isReached) {
                // Where less would do as well on the stretch, as much less is asked for there.
                const double overDb = m.reachedDb - goals.of(wish);
                if (overDb < kOverDb || at.measured.reachedDb > strict.of(wish) + kOverDb)
                    break;
                strict = withMore(strict, kSpareDb - overDb, 0);
                continue;
            }
            strict = withMore(strict, kAskedOver * std::max(0.0, goals.of(wish) - m.reachedDb),
                              std::max(0.0, goals.recoverPercent - m.recoveredPercent));
            strict.keptAttackDb += kAskedOver * std::max(0.0, goals.keptAttackDb - m.keptAttackDb);
        }
        // What is so near is looked for where it counts.
        if (!found->measured.isReached && missing(wish, found->measured, goals) < kNearDb)
            found = onWhole.refined(std::move(*found), goals, std::span(kSteps).subspan(1), kMostRoundsOnAll);
        best.push_back(std::move(*found));
    }
    if (cancel.isCancelled())
        return {};
    std::stable_sort(best.begin(), best.end(),
                     [&](const WishAnswer& a, const WishAnswer& b) { return search.isBetter(a, b, goals); });
    return best;
}

} // namespace cask::measure
