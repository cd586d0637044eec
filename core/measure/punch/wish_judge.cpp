#include "core/base/units.h"
#include "core/measure/band_part.h"
#include "core/measure/loudness.h"
#include "core/measure/punch/hit_shapes.h"
#include "core/measure/punch/wishes.h"
#include "core/measure/statistics.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace cask::measure {
namespace {

constexpr double kLateFromS = 0.060;
constexpr double kLateToS = 0.400;
constexpr double kShortestLateS = 0.020;
constexpr double kGapS = 0.030;             // before the next hit
constexpr double kShortestGapFromS = 0.060; // after the hit: before that it is the hit itself
// Before the next hit. What ducks may begin before it: a pump keeps to the grid, not to the player.
constexpr double kLeftFromS = 0.006;
constexpr double kLeftToS = 0.001;
constexpr double kDuckLeftFromS = 0.040;
constexpr double kDuckLeftToS = 0.025;
constexpr double kRecoveredDb = 1;
constexpr double kDuckS = 0.060;
constexpr double kHarshS = 0.040;
constexpr double kHarshFromHz = 3000;
constexpr double kHarshToHz = 9000;
constexpr double kOtherToHz = 2000;
constexpr double kStrongShare = 0.95;
constexpr double kHarshShare = 0.9;
constexpr double kSpillS = 0.020;
constexpr double kQuietDb = -100; // mean square: under it there is nothing to be judged

/// Mean squares of any stretch, channels added, by sums from the start.
class Powers {
  public:
    explicit Powers(const WishSound& sound) : m_sums(sound.empty() ? 1 : sound.front().size() + 1, 0.0) {
        for (std::size_t n = 0; n + 1 < m_sums.size(); ++n) {
            double power = 0;
            for (const auto& channel : sound)
                power += static_cast<double>(channel[n]) * channel[n];
            m_sums[n + 1] = m_sums[n] + power;
        }
    }
    /// dB; kSilenceDb where there is nothing to be judged.
    [[nodiscard]] double db(std::size_t from, std::size_t to) const {
        to = std::min(to, m_sums.size() - 1);
        if (from >= to)
            return kSilenceDb;
        const double mean = (m_sums[to] - m_sums[from]) / static_cast<double>(to - from);
        const double db = mean > 0 ? powerToDb(mean) : kSilenceDb;
        return db < kQuietDb ? kSilenceDb : db;
    }

  private:
    std::vector<double> m_sums;
};

struct Stretch {
    std::size_t from = 0;
    std::size_t next = 0; ///< the next own hit, or the end
    bool isFollowed = false;
    bool isGhost = false;
};

std::vector<Stretch> stretchesOf(const HitMaterial& m) {
    std::vector<Stretch> all;
    for (const auto& hit : m.hits) {
        const double at = (hit.timeS - m.startS) * m.rateHz;
        if (!hit.isOwn || at < 0 || at >= static_cast<double>(m.frames()))
            continue;
        const auto from = static_cast<std::size_t>(std::lround(at));
        if (!all.empty()) {
            all.back().next = from;
            all.back().isFollowed = true;
        }
        all.push_back({from, m.frames(), false, hit.hitClass == HitClass::Ghost});
    }
    return all;
}

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

/// All that is measured of one sound, hit by hit.
struct Numbers {
    std::vector<double> peak, attack, body, late, gap, left, ducked, harsh, other, spill;
    double lufs = kSilenceDb;
};

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
    double rateHz;
    std::vector<Stretch> stretches;
    std::vector<std::pair<std::size_t, int>> spill; ///< frame and drum of hits that are not own
    Numbers numbers;

    [[nodiscard]] std::size_t frames(double s) const {
        return static_cast<std::size_t>(std::lround(s * rateHz));
    }

    [[nodiscard]] Numbers numbersOf(const WishSound& sound) const {
        Numbers n;
        const Powers powers(sound);
        for (const auto& s : stretches) {
            const auto until = [&](double t) { return std::min(s.next, s.from + frames(t)); };
            float peak = 0;
            for (const auto& channel : sound)
                for (std::size_t k = s.from; k < std::min(until(0.020), channel.size()); ++k)
                    peak = std::max(peak, std::abs(channel[k]));
            n.peak.push_back(peak > 0 ? linearToDb(static_cast<double>(peak)) : kSilenceDb);
            n.attack.push_back(powers.db(s.from, until(0.010)));
            n.body.push_back(powers.db(until(0.010), until(0.120)));
            const bool hasLate = until(kLateToS) >= until(kLateFromS) + frames(kShortestLateS);
            n.late.push_back(hasLate ? powers.db(until(kLateFromS), until(kLateToS)) : kSilenceDb);
            const bool hasGap = s.isFollowed && s.next >= s.from + frames(kShortestGapFromS) + frames(kGapS);
            n.gap.push_back(hasGap ? powers.db(s.next - frames(kGapS), s.next) : kSilenceDb);
            const bool ducks = wish == Wish::Duck;
            const std::size_t leftFrom = frames(ducks ? kDuckLeftFromS : kLeftFromS);
            const std::size_t leftTo = frames(ducks ? kDuckLeftToS : kLeftToS);
            const bool hasLeft = s.isFollowed && s.next >= s.from + 2 * leftFrom;
            n.left.push_back(hasLeft ? powers.db(s.next - leftFrom, s.next - leftTo) : kSilenceDb);
            n.ducked.push_back(powers.db(s.from, until(kDuckS)));
        }
        for (const auto& [from, drum] : spill)
            n.spill.push_back(powers.db(from, from + frames(kSpillS)));
        if (wish == Wish::DeHarsh) {
            const Powers band(bandPart(sound, kHarshFromHz, kHarshToHz, rateHz));
            const Powers rest(bandPart(sound, 0, kOtherToHz, rateHz));
            for (const auto& s : stretches) {
                const std::size_t to = std::min(s.next, s.from + frames(kHarshS));
                n.harsh.push_back(band.db(s.from, to));
                n.other.push_back(rest.db(s.from, to));
            }
        }
        return n;
    }

    [[nodiscard]] std::vector<double> differences(const std::vector<double>& a,
                                                  const std::vector<double>& b) const {
        std::vector<double> out;
        for (std::size_t i = 0; i < a.size(); ++i)
            out.push_back(a[i] > kSilenceDb && b[i] > kSilenceDb ? a[i] - b[i] : kSilenceDb);
        return out;
    }

    [[nodiscard]] double reached(const Numbers& after, double matchDb) const {
        const Numbers& was = numbers;
        const auto gained = [&](std::vector<double> Numbers::*what, std::vector<double> Numbers::*on) {
            return medianChange(differences(was.*what, was.*on), differences(after.*what, after.*on))
                .value_or(0);
        };
        switch (wish) {
        case Wish::Snap:
            return gained(&Numbers::attack, &Numbers::body);
        case Wish::Thick:
            return gained(&Numbers::body, &Numbers::attack);
        case Wish::Even:
            return rangeOf(was) - rangeOf(after);
        case Wish::Glue:
            return gained(&Numbers::gap, &Numbers::body);
        case Wish::Control:
            return high(was.peak, kStrongShare) - high(after.peak, kStrongShare) - matchDb;
        case Wish::TameTail:
            return gained(&Numbers::attack, &Numbers::late);
        case Wish::Duck:
            return -medianChange(was.ducked, after.ducked).value_or(0);
        case Wish::DeHarsh:
            return high(was.harsh, kHarshShare) - high(after.harsh, kHarshShare);
        }
        return 0;
    }
    [[nodiscard]] static double rangeOf(const Numbers& n) {
        return high(n.peak, kStrongShare) - high(n.peak, 0.1);
    }

    [[nodiscard]] double recoveredPercent(const Numbers& after) const {
        int recovered = 0;
        int followed = 0;
        for (std::size_t i = 0; i < stretches.size(); ++i) {
            if (!stretches[i].isFollowed || numbers.left[i] <= kSilenceDb)
                continue; // in silence there is nothing that is held down
            ++followed;
            recovered += after.left[i] - numbers.left[i] > -kRecoveredDb ? 1 : 0;
        }
        return followed == 0 ? 100 : 100.0 * recovered / followed;
    }
};

WishJudge::WishJudge(Wish wish, const WishGoals& goals, const HitMaterial& material)
    : m_before(
          std::make_unique<Before>(Before{wish, goals, material.rateHz, stretchesOf(material), {}, {}})) {
    for (const auto& hit : material.hits) {
        const double at = (hit.timeS - material.startS) * material.rateHz;
        if (!hit.isOwn && at >= 0 && at < static_cast<double>(material.frames()))
            m_before->spill.emplace_back(static_cast<std::size_t>(at), hit.drum);
    }
    m_before->numbers = m_before->numbersOf(material.sound);
    m_before->numbers.lufs = integratedLufs(material.sound, material.rateHz);
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
    const Before& b = *m_before;
    Numbers now = b.numbersOf(after);
    WishMeasure m;
    m.goalDb = b.goals.of(b.wish);
    now.lufs = integratedLufs(after, b.rateHz);
    m.matchDb = b.numbers.lufs > kSilenceDb && now.lufs > kSilenceDb ? b.numbers.lufs - now.lufs : 0;
    m.reachedDb = b.reached(now, m.matchDb);
    const double attack = medianChange(b.numbers.attack, now.attack).value_or(0);
    m.keptAttackDb = attack + m.matchDb;
    m.effortDb = (std::abs(attack) + std::abs(medianChange(b.numbers.body, now.body).value_or(0)) +
                  std::abs(medianChange(b.numbers.late, now.late).value_or(0))) /
                 3;
    m.recoveredPercent = b.recoveredPercent(now);
    std::vector<double> wereGhosts;
    std::vector<double> areGhosts;
    for (std::size_t i = 0; i < b.stretches.size(); ++i)
        if (b.stretches[i].isGhost) {
            wereGhosts.push_back(b.numbers.peak[i]);
            areGhosts.push_back(now.peak[i]);
        }
    if (const auto change = medianChange(wereGhosts, areGhosts))
        m.ghostsDb = *change + m.matchDb;
    std::map<int, std::pair<std::vector<double>, std::vector<double>>> byDrum;
    for (std::size_t i = 0; i < b.spill.size(); ++i) {
        byDrum[b.spill[i].second].first.push_back(b.numbers.spill[i]);
        byDrum[b.spill[i].second].second.push_back(now.spill[i]);
    }
    for (const auto& [drum, levels] : byDrum)
        if (const auto change = medianChange(levels.first, levels.second);
            change && (m.spillDrum < 0 || *change + m.matchDb > m.spillDb)) {
            m.spillDb = *change + m.matchDb;
            m.spillDrum = drum;
        }
    m.otherDb = medianChange(b.numbers.other, now.other).value_or(0);
    m.rangeDb = Before::rangeOf(now);
    m.isReached = fulfils(b.wish, m, b.goals);
    return m;
}

} // namespace cask::measure
