#include "core/measure/hits/hit_classes.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace cask::measure {
namespace {

/// Sorted levels, for means and spreads of stretches of them.
class Levels {
  public:
    explicit Levels(std::span<const double> sorted) : m_sums(1, 0.0), m_squares(1, 0.0) {
        for (const double level : sorted) {
            m_sums.push_back(m_sums.back() + level);
            m_squares.push_back(m_squares.back() + level * level);
        }
    }
    [[nodiscard]] double mean(std::size_t from, std::size_t to) const {
        return (m_sums[to] - m_sums[from]) / static_cast<double>(to - from);
    }
    /// Sum of squared distances to the mean.
    [[nodiscard]] double within(std::size_t from, std::size_t to) const {
        const double m = mean(from, to);
        return std::max(0.0, m_squares[to] - m_squares[from] - m * m * static_cast<double>(to - from));
    }
    [[nodiscard]] double spread(std::size_t from, std::size_t to) const {
        return std::sqrt(within(from, to) / static_cast<double>(to - from));
    }
    /// Whether two groups side by side are clearly two. One even spread, parted in its middle, gives 3.5
    /// times the spread of its halves.
    [[nodiscard]] bool areApart(std::size_t from, std::size_t middle, std::size_t to) const {
        constexpr double kClearly = 4.0;
        return mean(middle, to) - mean(from, middle) >=
               kClearly * 0.5 * (spread(from, middle) + spread(middle, to));
    }

  private:
    std::vector<double> m_sums, m_squares;
};

/// Where sorted levels part into two groups that are at least `leastDb` apart and clearly so; none when they
/// do not.
std::optional<double> parting(std::span<const double> sorted, double leastDb) {
    const std::size_t n = sorted.size();
    if (n < 4)
        return std::nullopt;
    const Levels levels(sorted);
    double best = levels.within(0, n);
    std::size_t at = 0;
    for (std::size_t i = 1; i < n; ++i)
        if (const double rest = levels.within(0, i) + levels.within(i, n); rest < best) {
            best = rest;
            at = i;
        }
    if (at == 0 || levels.mean(at, n) - levels.mean(0, at) < leastDb || !levels.areApart(0, at, n))
        return std::nullopt;
    return 0.5 * (sorted[at - 1] + sorted[at]);
}

/// Where the lowest of three groups ends that are clearly three, the lowest `leastDb` under the highest: what
/// lies between ghosts and accents - a roll, a fill - hides that they are apart.
std::optional<double> lowestOfThree(std::span<const double> sorted, double leastDb) {
    const std::size_t n = sorted.size();
    constexpr std::size_t kFewest = 8;
    if (n < kFewest)
        return std::nullopt;
    const Levels levels(sorted);
    std::vector<std::size_t> steps; // where a group may begin: of levels that are alike only the first
    for (std::size_t i = 1; i < n; ++i)
        if (sorted[i] > sorted[i - 1])
            steps.push_back(i);
    double best = levels.within(0, n);
    std::size_t low = 0;
    std::size_t high = 0;
    for (const std::size_t i : steps)
        for (const std::size_t j : steps)
            if (j > i)
                if (const double rest = levels.within(0, i) + levels.within(i, j) + levels.within(j, n);
                    rest < best) {
                    best = rest;
                    low = i;
                    high = j;
                }
    if (low == 0 || levels.mean(high, n) - levels.mean(0, low) < leastDb || !levels.areApart(0, low, high) ||
        !levels.areApart(low, high, n))
        return std::nullopt;
    return 0.5 * (sorted[low - 1] + sorted[low]);
}

HitClass byLevel(const DrumHit& stroke, const ClassLimits& limits) {
    return stroke.levelDb < limits.ghostDb     ? HitClass::Ghost
           : stroke.levelDb >= limits.accentDb ? HitClass::Accent
                                               : HitClass::Normal;
}

} // namespace

ClassLimits limitsOf(std::vector<double> levels) {
    constexpr double kGhostLeastDb = 9;
    constexpr double kAccentLeastDb = 3;
    ClassLimits limits;
    if (levels.empty())
        return limits;
    std::sort(levels.begin(), levels.end());
    limits.fullDb = levels[(levels.size() - 1) * 19 / 20];
    std::span<const double> loud = levels;
    auto ghosts = lowestOfThree(levels, kGhostLeastDb);
    if (!ghosts)
        ghosts = parting(levels, kGhostLeastDb);
    if (ghosts) {
        limits.ghostDb = *ghosts;
        loud = loud.subspan(static_cast<std::size_t>(std::lower_bound(levels.begin(), levels.end(), *ghosts) -
                                                     levels.begin()));
    }
    if (const auto accents = parting(loud, kAccentLeastDb))
        limits.accentDb = *accents;
    else if (limits.ghostDb > -200)
        limits.accentDb = limits.ghostDb; // with ghosts below, what is played out is an accent
    return limits;
}

void classify(KitHits& hits) {
    hits.limits.clear();
    for (int d = 0; d < static_cast<int>(hits.kit.drums.size()); ++d) {
        std::vector<DrumHit*> own;
        std::vector<double> levels;
        for (auto& stroke : hits.strokes)
            if (stroke.drum == d) {
                own.push_back(&stroke);
                levels.push_back(stroke.levelDb);
            }
        const ClassLimits limits = limitsOf(std::move(levels));
        hits.limits.push_back(limits);
        for (auto* stroke : own) {
            stroke->velocity = std::clamp(std::pow(10.0, (stroke->levelDb - limits.fullDb) / 40), 0.01, 1.0);
            stroke->hitClass = byLevel(*stroke, limits);
        }
        for (std::size_t i = 0; i + 1 < own.size(); ++i) {
            const double gap = own[i + 1]->timeS - own[i]->timeS;
            if (gap >= kFlamLeastS && gap <= kFlamMostS)
                (own[i]->levelDb <= own[i + 1]->levelDb ? own[i] : own[i + 1])->hitClass = HitClass::Flam;
        }
        // Feet play fast, but they do not roll.
        const bool hasRolls = hits.kit.drums[static_cast<std::size_t>(d)].role != Role::KickIn;
        for (std::size_t from = 0; hasRolls && from < own.size();) {
            std::size_t to = from + 1;
            while (to < own.size() && own[to]->timeS - own[to - 1]->timeS < kRollMostS &&
                   own[to]->timeS - own[to - 1]->timeS > kFlamMostS)
                ++to;
            if (to - from >= static_cast<std::size_t>(kRollLeast))
                for (std::size_t i = from; i < to; ++i)
                    own[i]->hitClass = HitClass::Roll;
            from = to;
        }
        for (auto* stroke : own)
            stroke->hitClass = stroke->givenClass.value_or(stroke->hitClass);
    }
}

void tieRollsToTempo(KitHits& hits, const Tempo& tempo) {
    if (!tempo.isKnown)
        return;
    for (std::size_t d = 0; d < hits.kit.drums.size(); ++d) {
        std::vector<DrumHit*> roll;
        const auto end = [&] {
            const bool isPlayed =
                roll.size() > 1 && tempo.beatAt(roll.back()->timeS) - tempo.beatAt(roll.front()->timeS) >=
                                       kRollMostBeats * static_cast<double>(roll.size() - 1);
            for (auto* stroke : roll)
                if (isPlayed)
                    stroke->hitClass = stroke->givenClass.value_or(byLevel(*stroke, hits.limits[d]));
            roll.clear();
        };
        for (auto& stroke : hits.strokes) {
            if (stroke.drum != static_cast<int>(d))
                continue;
            if (stroke.hitClass != HitClass::Roll ||
                (!roll.empty() && stroke.timeS - roll.back()->timeS >= kRollMostS))
                end();
            if (stroke.hitClass == HitClass::Roll)
                roll.push_back(&stroke);
        }
        end();
    }
}

} // namespace cask::measure
