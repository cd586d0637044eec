#include "core/measure/hits/patterns.h"

#include <algorithm>
#include <bit>
#include <cmath>

namespace cask::measure {
namespace {

constexpr float kLeastPower = 1e-12F;
constexpr float kMostError2 = 12;    // of one entry, in variances
constexpr float kLeastEvidence = 9;  // a stroke must gain this much
constexpr float kSpreadDb = 4;       // strokes of one drum differ by this much in a band
constexpr float kCloseWeight = 0.5F; // bands of one microphone are not independent
constexpr float kLeastWayMs = 0.4F;  // sound takes longer from one drum to another's microphone
constexpr float kLateCost = 4;       // of a stroke that may be another's spill by its time
constexpr float kUncausedCost = 6;   // of sound that came before the stroke that should have made it
constexpr float kClearRiseDb = 25;   // of an arrival whose time can be trusted
constexpr float kMostUnlikeDb = 12;  // a drum against what is typical of its role, over the bands
constexpr double kLowerEdge = 0.2;   // of what is heard in another drum's microphone: the spill alone
constexpr double kLowestEdge = 0.1;
constexpr float kAmbientWeight = 0.3F; // they hear everything, and late

/// 10 log10 within 0.002 dB: a polynomial in the mantissa. Inlined into loops over entries.
inline float fastDb(float power) {
    const auto bits = std::bit_cast<std::uint32_t>(power);
    const auto exponent = static_cast<float>(static_cast<int>(bits >> 23U) - 127);
    const float m = std::bit_cast<float>((bits & 0x007FFFFFU) | 0x3F800000U);
    const float log2 =
        exponent + (-2.5056147F + (4.0496169F + (-2.0994023F + (0.6355111F + -0.0800109F * m) * m) * m) * m);
    return 3.0103F * log2;
}

float quantile(std::vector<float>& x, double share) {
    const auto at = x.begin() + static_cast<std::ptrdiff_t>(share * static_cast<double>(x.size() - 1) + 0.5);
    std::nth_element(x.begin(), at, x.end());
    return *at;
}

/// What strokes of a drum add in one place, against their sizes. A stroke that is drowned there only tells
/// how much it may be at most.
class Ratios {
  public:
    void clear() {
        m_heard.clear();
        m_most.clear();
    }
    void add(float heard, float rest, float size) {
        size = std::max(size, 1e-20F);
        m_most.push_back((std::max(heard - rest, 0.0F) + 0.1F * rest) / size);
        if (heard > 1.6F * rest)
            m_heard.push_back((heard - rest) / size);
    }
    [[nodiscard]] float result(double share) {
        if (m_most.empty())
            return kLeastPower;
        // Strokes that were not heard count as less than all that were.
        const double drowned = static_cast<double>(m_most.size() - m_heard.size());
        const double rank = share * static_cast<double>(m_most.size()) - drowned;
        if (rank >= 0 && !m_heard.empty())
            return std::max(quantile(m_heard, rank / static_cast<double>(m_heard.size())), kLeastPower);
        return std::max(quantile(m_most, 0.1), kLeastPower);
    }

  private:
    std::vector<float> m_heard;
    std::vector<float> m_most;
};

} // namespace

std::size_t regionOf(Role role) {
    switch (role) {
    case Role::KickIn:
    case Role::RackTom:
    case Role::FloorTom:
        return 0;
    case Role::ClosedHat:
    case Role::Ride:
    case Role::Crash:
        return 2;
    default:
        return 1;
    }
}

namespace {

/// Level of strong arrivals of an input, as power.
double strongPower(const std::vector<Arrival>& arrivals) {
    if (arrivals.empty())
        return 1e-3;
    std::vector<float> levels;
    for (const auto& a : arrivals)
        levels.push_back(static_cast<float>(a.levelDb));
    return std::pow(10.0, quantile(levels, 0.95) / 10);
}

} // namespace

Patterns::Patterns(const KitModel& kit, std::vector<TrailChannel> channels,
                   const std::vector<std::vector<Arrival>>& arrivals)
    : m_kit(kit), m_channels(std::move(channels)) {
    const std::size_t drums = kit.drums.size();
    m_power.assign(drums * entries(), kLeastPower);
    m_isOwn.assign(drums * m_channels.size(), false);
    m_isKnown.assign(drums, false);
    for (std::size_t d = 0; d < drums; ++d) {
        const Drum& drum = kit.drums[d];
        m_isKnown[d] = !drum.isMiked();
        const auto typical = typicalBands(drum.role);
        const auto& own = drum.isMiked() ? drum.inputs : kit.ambient;
        const double here = own.empty() ? 1e-3 : strongPower(arrivals[static_cast<std::size_t>(own.front())]);
        for (std::size_t c = 0; c < m_channels.size(); ++c) {
            const auto& channel = m_channels[c];
            const bool isMine = std::find(own.begin(), own.end(), channel.input) != own.end();
            m_isOwn[d * m_channels.size() + c] = isMine;
            const double there = strongPower(arrivals[static_cast<std::size_t>(channel.input)]);
            const double lessDb = isMine ? 0 : channel.isAmbient ? -5 : -18;
            for (std::size_t b = 0; b < kTrailBands; ++b)
                m_power[d * entries() + c * kTrailBands + b] =
                    static_cast<float>(typical[b] * there / here * std::pow(10.0, lessDb / 10));
        }
        normalise(static_cast<int>(d));
    }
}

void Patterns::limitSpill(int drum) {
    // Sound changes smoothly on its way from one microphone to another. Where a band is far above what the
    // way does to the others, another drum was heard that often plays at the same time.
    constexpr float kMostOffDb = 15;
    constexpr std::size_t kTypical =
        2; // of the ways of eight bands, in order: others add to more of them, rarely
    float* power = m_power.data() + static_cast<std::size_t>(drum) * entries();
    std::array<float, kTrailBands> ownDb{};
    for (std::size_t b = 0; b < kTrailBands; ++b) {
        float sum = kLeastPower;
        for (std::size_t c = 0; c < m_channels.size(); ++c)
            if (isOwn(drum, c))
                sum += power[c * kTrailBands + b];
        ownDb[b] = fastDb(sum);
    }
    for (std::size_t c = 0; c < m_channels.size(); ++c) {
        if (isOwn(drum, c))
            continue;
        std::array<float, kTrailBands> wayDb{};
        for (std::size_t b = 0; b < kTrailBands; ++b)
            wayDb[b] = fastDb(power[c * kTrailBands + b]) - ownDb[b];
        auto sorted = wayDb;
        std::sort(sorted.begin(), sorted.end());
        const float most = sorted[kTypical] + kMostOffDb;
        for (std::size_t b = 0; b < kTrailBands; ++b)
            if (wayDb[b] > most)
                power[c * kTrailBands + b] *= std::pow(10.0F, (most - wayDb[b]) / 10);
    }
}

float Patterns::ownPower(int drum, const Moment& moment) const {
    float sum = 0;
    for (std::size_t c = 0; c < m_channels.size(); ++c)
        if (isOwn(drum, c))
            for (std::size_t e = c * kTrailBands; e < (c + 1) * kTrailBands; ++e)
                sum += std::max(0.0F, moment.heard[e] - moment.background[e]);
    return sum;
}

bool Patterns::isOtherDrum(int drum, std::size_t channel) const {
    const int its = m_kit.drumOf[static_cast<std::size_t>(m_channels[channel].input)];
    return its >= 0 && its != drum;
}

bool Patterns::canSpill(int drum, int input, const Moment& moment) const {
    const std::size_t region = regionOf(m_kit.drums[static_cast<std::size_t>(drum)].role);
    return moment.regionMs[static_cast<std::size_t>(input)][region] >=
           arrivedMs(drum, region, moment) + kLeastWayMs;
}

void Patterns::learnFrom(int drum, const std::vector<const Moment*>& teachers) {
    Ratios ratios;
    for (std::size_t c = 0; c < m_channels.size(); ++c) {
        const bool isOther = isOtherDrum(drum, c);
        std::vector<const Moment*> from;
        for (const auto* teacher : teachers)
            if (!isOther || canSpill(drum, m_channels[c].input, *teacher))
                from.push_back(teacher);
        const bool isEnough = from.size() >= 3;
        for (std::size_t e = c * kTrailBands; e < (c + 1) * kTrailBands; ++e) {
            ratios.clear();
            for (const auto* teacher : isEnough ? from : teachers)
                ratios.add(teacher->heard[e], teacher->background[e], ownPower(drum, *teacher));
            m_power[static_cast<std::size_t>(drum) * entries() + e] = ratios.result(!isOther   ? 0.5
                                                                                    : isEnough ? kLowerEdge
                                                                                               : kLowestEdge);
        }
    }
    limitSpill(drum);
    normalise(drum);
    m_isKnown[static_cast<std::size_t>(drum)] = true;
}

float Patterns::unlikeDb(int drum, Role role, const Moment& moment) const {
    const auto typical = typicalBands(role);
    std::array<float, kTrailBands> offDb{};
    std::size_t count = 0;
    float mean = 0;
    for (std::size_t b = 0; b < kTrailBands; ++b) {
        float heard = 0;
        float before = 0;
        for (std::size_t c = 0; c < m_channels.size(); ++c)
            if (isOwn(drum, c)) {
                heard += moment.heard[c * kTrailBands + b];
                before += moment.background[c * kTrailBands + b];
            }
        if (heard < 1.3F * before)
            continue; // says nothing
        offDb[count] = fastDb(heard - before) - fastDb(typical[b]);
        mean += offDb[count++];
    }
    constexpr std::size_t kFewBands = 3;
    if (count < kFewBands)
        return 100;
    mean /= static_cast<float>(count);
    float off = 0;
    for (std::size_t i = 0; i < count; ++i)
        off += std::abs(offDb[i] - mean);
    return off / static_cast<float>(count);
}

void Patterns::seed(const std::vector<Moment>& moments) {
    constexpr float kLateMs = 0.2F; // spill takes longer from drum to drum
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
            powers[d][m] = ownPower(static_cast<int>(d), moments[m]);
            loudest[d] = std::max(loudest[d], powers[d][m]);
        }
    std::vector<std::vector<float>> unlike(drums, std::vector<float>(moments.size()));
    for (std::size_t d = 0; d < drums; ++d)
        for (std::size_t m = 0; m < moments.size(); ++m)
            unlike[d][m] = unlikeDb(static_cast<int>(d), m_kit.drums[d].role, moments[m]);
    // No other close microphone heard the drum's region before.
    const auto isFirst = [&](std::size_t d, std::size_t m) {
        const std::size_t region = regionOf(m_kit.drums[d].role);
        const float mine = arrivedMs(static_cast<int>(d), region, moments[m]);
        for (std::size_t o = 0; o < drums; ++o)
            if (o != d && m_kit.drums[o].isMiked() &&
                arrivedMs(static_cast<int>(o), region, moments[m]) < mine - kLateMs)
                return false;
        return mine < kNeverMs;
    };
    const auto candidates = [&](std::size_t d, float louderFirst) {
        std::vector<std::size_t> found;
        for (std::size_t m = 0; m < moments.size(); ++m) {
            if (powers[d][m] < kAgainst * loudest[d] || !canBe(static_cast<int>(d), moments[m]) ||
                unlike[d][m] > kMostUnlikeDb)
                continue;
            const float louder = isFirst(d, m) ? louderFirst : kLouderLate;
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
    for (std::size_t d = 0; d < drums; ++d) {
        if (!m_kit.drums[d].isMiked())
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

void Patterns::normalise(int drum) {
    float* power = m_power.data() + static_cast<std::size_t>(drum) * entries();
    float sum = 0;
    for (std::size_t c = 0; c < m_channels.size(); ++c)
        if (isOwn(drum, c))
            for (std::size_t b = 0; b < kTrailBands; ++b)
                sum += power[c * kTrailBands + b];
    for (std::size_t e = 0; e < entries(); ++e)
        power[e] = std::max(power[e] / std::max(sum, 1e-20F), kLeastPower);
}

float Patterns::cost(std::span<const float> logHeard, std::span<const float> model) const {
    float sum = 0;
    for (std::size_t c = 0; c < m_channels.size(); ++c) {
        float inChannel = 0;
        for (std::size_t e = c * kTrailBands; e < (c + 1) * kTrailBands; ++e) {
            const float error = (logHeard[e] - fastDb(model[e])) * (1 / kSpreadDb);
            inChannel += std::min(error * error, kMostError2);
        }
        sum += inChannel * (m_channels[c].isAmbient ? kAmbientWeight : kCloseWeight);
    }
    return sum;
}

bool Patterns::canBe(int drum, const Moment& moment) const {
    const Drum& d = m_kit.drums[static_cast<std::size_t>(drum)];
    const auto& own = d.isMiked() ? d.inputs : m_kit.ambient;
    return std::any_of(own.begin(), own.end(),
                       [&](int input) { return moment.arrivals[static_cast<std::size_t>(input)] >= 0; });
}

float Patterns::arrivedMs(int drum, std::size_t region, const Moment& moment) const {
    float first = kNeverMs;
    for (const int own : m_kit.drums[static_cast<std::size_t>(drum)].inputs)
        first = std::min(first, moment.regionMs[static_cast<std::size_t>(own)][region]);
    return first;
}

float Patterns::arrivalCost(const Moment& moment, const std::vector<Stroke>& strokes) const {
    float sum = 0;
    bool isAllMiked = !strokes.empty();
    std::array<float, kRegions> first{};
    first.fill(kNeverMs);
    for (const auto& s : strokes) {
        isAllMiked = isAllMiked && m_kit.drums[static_cast<std::size_t>(s.drum)].isMiked();
        for (std::size_t r = 0; r < kRegions; ++r)
            first[r] = std::min(first[r], arrivedMs(s.drum, r, moment));
    }
    for (const auto& s : strokes) {
        const std::size_t r = regionOf(m_kit.drums[static_cast<std::size_t>(s.drum)].role);
        if (m_kit.drums[static_cast<std::size_t>(s.drum)].isMiked() &&
            arrivedMs(s.drum, r, moment) > first[r] + kLeastWayMs)
            sum += kLateCost;
    }
    if (isAllMiked)
        for (std::size_t d = 0; d < m_kit.drums.size(); ++d) {
            const std::size_t r = regionOf(m_kit.drums[d].role);
            if (m_isKnown[d] && m_kit.drums[d].isMiked() &&
                std::none_of(strokes.begin(), strokes.end(),
                             [&](const Stroke& s) { return s.drum == static_cast<int>(d); }) &&
                arrivedMs(static_cast<int>(d), r, moment) < first[r] - kLeastWayMs)
                return sum + kUncausedCost;
        }
    return sum;
}

std::vector<Stroke> Patterns::explain(const Moment& moment, std::span<const float> before) const {
    const std::size_t n = entries();
    std::vector<float> logHeard(n);
    std::vector<float> rest(n); // background
    for (std::size_t e = 0; e < n; ++e) {
        logHeard[e] = fastDb(std::max(moment.heard[e], kLeastPower));
        rest[e] = std::max({moment.background[e], before.empty() ? 0.0F : before[e], kLeastPower});
    }
    std::vector<int> candidates;
    for (int d = 0; d < static_cast<int>(m_kit.drums.size()); ++d)
        if (m_isKnown[static_cast<std::size_t>(d)] && canBe(d, moment))
            candidates.push_back(d);
    std::vector<Stroke> strokes;
    std::vector<float> model(n);
    const auto costOf = [&](const std::vector<Stroke>& set) {
        std::copy(rest.begin(), rest.end(), model.begin());
        for (const auto& s : set) {
            const auto power = of(s.drum);
            for (std::size_t e = 0; e < n; ++e)
                model[e] += s.power * power[e];
        }
        return cost(logHeard, model) + arrivalCost(moment, set);
    };
    // Best size of one stroke with the others as they are, from what its own microphone has left over.
    const auto fitSize = [&](std::vector<Stroke>& set, std::size_t at) {
        std::vector<float> others(rest);
        for (std::size_t i = 0; i < set.size(); ++i)
            if (i != at) {
                const auto power = of(set[i].drum);
                for (std::size_t e = 0; e < n; ++e)
                    others[e] += set[i].power * power[e];
            }
        const auto own = of(set[at].drum);
        std::vector<float> sizes;
        for (std::size_t c = 0; c < m_channels.size(); ++c)
            if (isOwn(set[at].drum, c))
                for (std::size_t b = 0; b < kTrailBands; ++b) {
                    const std::size_t e = c * kTrailBands + b;
                    if (own[e] > 0.004F)
                        sizes.push_back(std::max(0.0F, moment.heard[e] - others[e]) / own[e]);
                }
        float best = 0;
        float bestCost = 1e30F;
        for (const double share : {0.35, 0.5, 0.65, 0.8}) {
            if (sizes.empty())
                break;
            set[at].power = std::max(quantile(sizes, share), 1e-12F);
            const float c = costOf(set);
            if (c < bestCost) {
                bestCost = c;
                best = set[at].power;
            }
        }
        set[at].power = best;
        return bestCost;
    };
    float now = costOf(strokes);
    // A drum without a microphone is only called for what the others leave unexplained.
    bool isMikedTurn = true;
    while (!candidates.empty()) {
        float bestCost = now - kLeastEvidence;
        int best = -1;
        std::vector<Stroke> bestSet;
        for (const int d : candidates) {
            if (m_kit.drums[static_cast<std::size_t>(d)].isMiked() != isMikedTurn)
                continue;
            auto set = strokes;
            set.push_back({d, 0, 0});
            float c = fitSize(set, set.size() - 1);
            if (set.size() > 1) {
                for (std::size_t i = 0; i + 1 < set.size(); ++i)
                    c = fitSize(set, i);
                c = fitSize(set, set.size() - 1);
            }
            if (c < bestCost) {
                bestCost = c;
                best = d;
                bestSet = std::move(set);
            }
        }
        if (best < 0) {
            if (!isMikedTurn)
                break;
            isMikedTurn = false;
            continue;
        }
        strokes = std::move(bestSet);
        now = bestCost;
        std::erase(candidates, best);
    }
    // What would be lost without each; those that a later one made needless go.
    for (std::size_t i = 0; i < strokes.size();) {
        auto without = strokes;
        without.erase(without.begin() + static_cast<std::ptrdiff_t>(i));
        strokes[i].evidence = costOf(without) - now;
        if (strokes[i].evidence < kLeastEvidence) {
            strokes = std::move(without);
            now = costOf(strokes);
            i = 0;
        } else {
            ++i;
        }
    }
    return strokes;
}

void Patterns::learn(const std::vector<Moment>& moments, const std::vector<std::vector<Stroke>>& strokes) {
    const std::size_t n = entries();
    const auto drums = m_kit.drums.size();
    std::vector<std::vector<std::size_t>> teachers(drums); // moments in which a drum rules its own microphone
    std::vector<float> sizes;
    for (std::size_t d = 0; d < drums; ++d) {
        sizes.clear();
        for (const auto& set : strokes)
            for (const auto& s : set)
                if (s.drum == static_cast<int>(d))
                    sizes.push_back(s.power);
        if (sizes.size() < 3)
            continue;
        const float least = 0.05F * quantile(sizes, 0.9);
        for (std::size_t i = 0; i < moments.size(); ++i)
            for (const auto& s : strokes[i]) {
                if (s.drum != static_cast<int>(d) || s.power < least)
                    continue;
                float spill = 0; // of others and of what was there, in its own microphones
                for (std::size_t e = 0; e < n; ++e) {
                    if (!isOwn(s.drum, e / kTrailBands))
                        continue;
                    spill += moments[i].background[e];
                    for (const auto& o : strokes[i])
                        if (o.drum != s.drum)
                            spill += o.power * of(o.drum)[e];
                }
                if (spill < 0.3F * s.power)
                    teachers[d].push_back(i);
            }
    }
    std::vector<float> learned = m_power;
    Ratios ratios;
    for (std::size_t d = 0; d < drums; ++d) {
        if (teachers[d].size() < 3)
            continue;
        for (std::size_t c = 0; c < m_channels.size(); ++c) {
            const int itsDrum = m_kit.drumOf[static_cast<std::size_t>(m_channels[c].input)];
            const bool isOther = isOtherDrum(static_cast<int>(d), c);
            // In another drum's microphone that drum may sound too. Where it does not, the spill is heard;
            // where it always does, the lower edge of what is heard is the best that can be said.
            std::vector<std::size_t> quiet;
            std::vector<std::size_t> causal;
            for (const std::size_t i : teachers[d]) {
                if (isOther && !canSpill(static_cast<int>(d), m_channels[c].input, moments[i]))
                    continue;
                causal.push_back(i);
                if (!isOther || std::none_of(strokes[i].begin(), strokes[i].end(),
                                             [&](const Stroke& s) { return s.drum == itsDrum; }))
                    quiet.push_back(i);
            }
            constexpr std::size_t kEnough = 5;
            const bool isQuiet = quiet.size() >= kEnough && 5 * quiet.size() >= causal.size();
            const bool isCausal = causal.size() >= 3;
            const auto& from = isQuiet ? quiet : isCausal ? causal : teachers[d];
            for (std::size_t e = c * kTrailBands; e < (c + 1) * kTrailBands; ++e) {
                ratios.clear();
                for (const std::size_t i : from) {
                    float size = 0;
                    float others = moments[i].background[e];
                    for (const auto& s : strokes[i]) {
                        if (s.drum == static_cast<int>(d))
                            size = s.power;
                        else if (s.drum != itsDrum)
                            others += s.power * of(s.drum)[e];
                    }
                    ratios.add(moments[i].heard[e], others, size);
                }
                const float ratio = ratios.result(!isOther   ? 0.5
                                                  : isQuiet  ? 0.4
                                                  : isCausal ? kLowerEdge
                                                             : kLowestEdge);
                float& p = learned[d * n + e];
                p = std::exp(0.25F * std::log(p) + 0.75F * std::log(ratio));
            }
        }
    }
    m_power = std::move(learned);
    for (std::size_t d = 0; d < drums; ++d) {
        limitSpill(static_cast<int>(d));
        normalise(static_cast<int>(d));
    }
}

} // namespace cask::measure
