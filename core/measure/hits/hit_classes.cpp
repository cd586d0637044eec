#include "core/measure/hits/hit_classes.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace cask::measure {
namespace {

/// Where sorted levels part into two groups that are at least `leastDb` apart and clearly so; none when they
/// do not.
std::optional<double> parting(std::span<const double> sorted, double leastDb) {
    const std::size_t n = sorted.size();
    if (n < 4)
        return std::nullopt;
    double total = 0;
    for (const double level : sorted)
        total += level;
    double below = 0;
    double best = 0;
    std::size_t at = 0;
    for (std::size_t i = 1; i < n; ++i) {
        below += sorted[i - 1];
        const auto k = static_cast<double>(i);
        const double low = below / k;
        const double high = (total - below) / (static_cast<double>(n) - k);
        const double between = k * (static_cast<double>(n) - k) * (high - low) * (high - low);
        if (between > best) {
            best = between;
            at = i;
        }
    }
    if (at == 0) // all alike
        return std::nullopt;
    const auto mean = [&](std::size_t from, std::size_t to) {
        double sum = 0;
        for (std::size_t i = from; i < to; ++i)
            sum += sorted[i];
        return sum / static_cast<double>(to - from);
    };
    const auto spread = [&](std::size_t from, std::size_t to) {
        const double m = mean(from, to);
        double sum = 0;
        for (std::size_t i = from; i < to; ++i)
            sum += (sorted[i] - m) * (sorted[i] - m);
        return std::sqrt(sum / static_cast<double>(to - from));
    };
    // One even spread, parted in its middle, gives 3.5 times the spread of its halves.
    constexpr double kClearly = 4.0;
    const double apart = mean(at, n) - mean(0, at);
    if (apart < leastDb || apart < kClearly * 0.5 * (spread(0, at) + spread(at, n)))
        return std::nullopt;
    return 0.5 * (sorted[at - 1] + sorted[at]);
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
    if (const auto ghosts = parting(levels, kGhostLeastDb)) {
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
                    stroke->hitClass = byLevel(*stroke, hits.limits[d]);
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
