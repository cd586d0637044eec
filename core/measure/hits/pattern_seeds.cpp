#include "core/measure/hits/pattern_math.h"
#include "core/measure/hits/patterns.h"

#include <cmath>
#include <functional>

namespace cask::measure {
namespace {

constexpr float kMostUnlikeDb = 12; // a drum against what is typical of its role, over the bands

} // namespace

void Patterns::seed(const std::vector<Moment>& moments) {
    constexpr float kStrong = 0.1F; // of the second strongest
    // Against any other drum's microphone, each against its loudest. A resting drum's loudest is spill, so it
    // may be as loud there as where it was struck.
    constexpr float kLouderFirst = 2.0F;
    constexpr float kLouderTogether = 0.05F;
    constexpr float kLouderLate = 8.0F;
    constexpr float kLouderAmbient = 0.5F;
    constexpr double kLeastShare = 0.3; // of all moments as loud in its microphone
    constexpr float kAgainst = 0.03F;   // what spills into a resting drum's microphone
    const auto drums = m_kit.drums.size();
    std::vector<std::vector<float>> powers(drums, std::vector<float>(moments.size()));
    std::vector<float> loudest(drums, 1e-20F);
    for (std::size_t d = 0; d < drums; ++d)
        for (std::size_t m = 0; m < moments.size(); ++m) {
            powers[d][m] = regionPower(static_cast<int>(d), moments[m]);
            loudest[d] = std::max(loudest[d], powers[d][m]);
        }
    std::vector<std::vector<float>> unlike(drums, std::vector<float>(moments.size()));
    for (std::size_t d = 0; d < drums; ++d)
        for (std::size_t m = 0; m < moments.size(); ++m)
            unlike[d][m] = unlikeDb(static_cast<int>(d), m_kit.drums[d].role, moments[m]);
    const auto candidates = [&](std::size_t d, float louderFirst) {
        std::vector<std::size_t> found;
        for (std::size_t m = 0; m < moments.size(); ++m) {
            if (powers[d][m] < kAgainst * loudest[d] || !canBe(static_cast<int>(d), moments[m]) ||
                unlike[d][m] > kMostUnlikeDb)
                continue;
            const float louder = isFirst(static_cast<int>(d), moments[m]) ? louderFirst : kLouderLate;
            bool isLoudestHere = true;
            for (std::size_t o = 0; o < drums && isLoudestHere; ++o) {
                const float share =
                    powers[o][m] / loudest[o]; // of one without a microphone: in the ambient ones
                isLoudestHere = o == d || share * (m_kit.drums[o].isMiked() ? louder : kLouderAmbient) <
                                              powers[d][m] / loudest[d];
            }
            if (isLoudestHere)
                found.push_back(m);
        }
        std::sort(found.begin(), found.end(),
                  [&](std::size_t a, std::size_t b) { return powers[d][a] > powers[d][b]; });
        return found;
    };
    seedByLevel(moments);
    for (std::size_t d = 0; d < drums; ++d) {
        if (!m_kit.drums[d].isMiked() || m_isKnown[d])
            continue;
        // Alone if possible; else together with others.
        for (const float louderFirst : {kLouderFirst, kLouderTogether}) {
            const auto firsts = candidates(d, louderFirst);
            if (firsts.empty())
                continue;
            const float second = powers[d][firsts[std::min<std::size_t>(1, firsts.size() - 1)]];
            std::vector<const Moment*> strong;
            for (const std::size_t m : firsts)
                if (powers[d][m] > kStrong * second)
                    strong.push_back(&moments[m]);
            const float middle = powers[d][firsts[strong.size() / 2]];
            const auto asLoud =
                std::count_if(powers[d].begin(), powers[d].end(), [&](float p) { return p >= middle; });
            if (static_cast<double>(strong.size()) / 2 < kLeastShare * static_cast<double>(asLoud))
                continue;
            // One stroke alone must stand out from all spill.
            if (strong.size() == 1 && std::count_if(powers[d].begin(), powers[d].end(),
                                                    [&](float p) { return 3 * p > middle; }) > 1)
                continue;
            learnFrom(static_cast<int>(d), strong);
            break;
        }
    }
}

/// No other close microphone heard the drum's region before.
bool Patterns::isFirst(int drum, const Moment& moment) const {
    constexpr float kLateMs = 0.2F; // spill takes longer from drum to drum
    const std::size_t region = regionOf(m_kit.drums[static_cast<std::size_t>(drum)].role);
    const float mine = arrivedMs(drum, region, moment);
    for (int o = 0; o < static_cast<int>(m_kit.drums.size()); ++o)
        if (o != drum && m_kit.drums[static_cast<std::size_t>(o)].isMiked() &&
            arrivedMs(o, region, moment) < mine - kLateMs)
            return false;
    return mine < kNeverMs;
}

/// A drum's own microphone is the loudest of all when it is struck alone: gains are set by what a microphone
/// stands at.
void Patterns::seedByLevel(const std::vector<Moment>& moments) {
    constexpr float kClearly = 4; // against all other drums' microphones, power
    constexpr float kFarClearly = 20;
    constexpr float kMostUnlikeByLevelDb = 9;
    constexpr float kStrong = 0.1F; // of the second strongest
    constexpr std::size_t kFewest = 2;
    const auto drums = m_kit.drums.size();
    std::vector<std::vector<const Moment*>> own(drums);
    std::vector<std::vector<float>> powers(drums);
    for (const auto& moment : moments) {
        std::size_t loudest = drums;
        float most = 0;
        float second = 0;
        for (std::size_t d = 0; d < drums; ++d) {
            if (!m_kit.drums[d].isMiked())
                continue;
            const float power = loudestPower(static_cast<int>(d), moment);
            if (power > most) {
                second = most;
                most = power;
                loudest = d;
            } else {
                second = std::max(second, power);
            }
        }
        if (loudest == drums || !canBe(static_cast<int>(loudest), moment) || most < kClearly * second)
            continue;
        // Far louder is enough; else it must have been heard there first, and sound like its role.
        if (most < kFarClearly * second &&
            (!isFirst(static_cast<int>(loudest), moment) ||
             unlikeDb(static_cast<int>(loudest), m_kit.drums[loudest].role, moment) > kMostUnlikeByLevelDb))
            continue;
        own[loudest].push_back(&moment);
        powers[loudest].push_back(most);
    }
    for (std::size_t d = 0; d < drums; ++d) {
        if (own[d].size() < kFewest)
            continue;
        // Drums without a microphone may be loudest here too, softly and often.
        auto sorted = powers[d];
        std::nth_element(sorted.begin(), sorted.begin() + 1, sorted.end(), std::greater<>());
        const float least = kStrong * sorted[1];
        std::vector<const Moment*> strong;
        for (std::size_t i = 0; i < own[d].size(); ++i)
            if (powers[d][i] >= least)
                strong.push_back(own[d][i]);
        learnFrom(static_cast<int>(d), strong);
    }
}

void Patterns::seedMetal(const std::vector<Moment>& moments) {
    constexpr float kShortDb = 11; // a closed hat falls more in 60 ms, a cymbal less
    constexpr float kLongDb = 7;
    constexpr float kMostShare = 0.05F; // of the loudest, in all close microphones
    constexpr float kMuchLouderDb = 7;  // a crash than rides
    constexpr std::size_t kLeast = 4;
    const auto find = [&](Role role) {
        for (int d = 0; d < static_cast<int>(m_kit.drums.size()); ++d)
            if (m_kit.drums[static_cast<std::size_t>(d)].role == role &&
                !m_kit.drums[static_cast<std::size_t>(d)].isMiked())
                return d;
        return -1;
    };
    const int hat = find(Role::ClosedHat);
    const int ride = find(Role::Ride);
    const int crash = find(Role::Crash);
    const int any = hat >= 0 ? hat : ride >= 0 ? ride : crash;
    if (any < 0)
        return;
    std::vector<float> loudest(m_kit.drums.size(), 1e-20F);
    for (std::size_t d = 0; d < loudest.size(); ++d)
        for (const auto& moment : moments)
            loudest[d] = std::max(loudest[d], ownPower(static_cast<int>(d), moment));
    std::vector<const Moment*> closed;
    std::vector<const Moment*> ringing;
    for (const auto& moment : moments) {
        if (moment.highFallDb == 0 || unlikeDb(any, Role::Ride, moment) > kMostUnlikeDb)
            continue;
        bool isAlone = true;
        for (std::size_t d = 0; d < loudest.size() && isAlone; ++d)
            isAlone =
                !m_kit.drums[d].isMiked() || ownPower(static_cast<int>(d), moment) < kMostShare * loudest[d];
        if (!isAlone)
            continue;
        if (moment.highFallDb > kShortDb)
            closed.push_back(&moment);
        else if (moment.highFallDb < kLongDb)
            ringing.push_back(&moment);
    }
    if (hat >= 0 && closed.size() >= kLeast)
        learnFrom(hat, closed);
    if (ringing.empty())
        return;
    std::vector<float> levels;
    for (const auto* moment : ringing)
        levels.push_back(fastDb(ownPower(any, *moment)));
    const float middle = quantile(levels, 0.5);
    std::vector<const Moment*> pings;
    std::vector<const Moment*> crashes;
    for (const auto* moment : ringing)
        (fastDb(ownPower(any, *moment)) > middle + kMuchLouderDb ? crashes : pings).push_back(moment);
    if (ride >= 0 && pings.size() >= kLeast)
        learnFrom(ride, pings);
    if (crash >= 0 && crashes.size() >= 2)
        learnFrom(crash, crashes);
}

void Patterns::discover(const std::vector<Moment>& moments, const std::vector<std::vector<Stroke>>& strokes) {
    for (int d = 0; d < static_cast<int>(m_kit.drums.size()); ++d) {
        if (m_isKnown[static_cast<std::size_t>(d)])
            continue;
        float loudest = 0;
        for (const auto& moment : moments)
            loudest = std::max(loudest, ownPower(d, moment));
        std::vector<const Moment*> much;
        for (std::size_t m = 0; m < moments.size(); ++m) {
            if (!canBe(d, moments[m]) ||
                unlikeDb(d, m_kit.drums[static_cast<std::size_t>(d)].role, moments[m]) > kMostUnlikeDb)
                continue;
            float explained = 0;
            for (const auto& s : strokes[m])
                for (std::size_t e = 0; e < entries(); ++e)
                    if (isOwn(d, e / kTrailBands))
                        explained += s.power * of(s.drum)[e];
            if (ownPower(d, moments[m]) > std::max(8 * explained, 0.4F * loudest))
                much.push_back(&moments[m]);
        }
        // A drum that plays with every stroke of another is that other's spill.
        if (much.size() >= 2 && much.size() < moments.size() / 4)
            learnFrom(d, much);
    }
}

} // namespace cask::measure
