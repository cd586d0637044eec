#include "core/measure/hits/patterns.h"

#include <algorithm>
#include <bit>
#include <cmath>

namespace cask::measure {
namespace {

constexpr float kLeastPower = 1e-12F;
constexpr float kMostError2 = 12;    // of one entry, in variances
constexpr float kLeastEvidence = 7;  // a stroke must gain this much
constexpr float kSpreadDb = 4;         // strokes of one drum differ by this much in a band
constexpr float kCloseWeight = 0.5F;   // bands of one microphone are not independent
constexpr float kAmbientWeight = 0.3F; // they hear everything, and late

/// 10 log10 within 0.002 dB: a polynomial in the mantissa. Inlined into loops over entries.
inline float fastDb(float power) {
    const auto bits = std::bit_cast<std::uint32_t>(power);
    const auto exponent = static_cast<float>(static_cast<int>(bits >> 23U) - 127);
    const float m = std::bit_cast<float>((bits & 0x007FFFFFU) | 0x3F800000U);
    const float log2 = exponent + (-2.5056147F + (4.0496169F + (-2.0994023F + (0.6355111F + -0.0800109F * m) * m) * m) * m);
    return 3.0103F * log2;
}

float quantile(std::vector<float>& x, double share) {
    const auto at = x.begin() + static_cast<std::ptrdiff_t>(share * static_cast<double>(x.size() - 1) + 0.5);
    std::nth_element(x.begin(), at, x.end());
    return *at;
}

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

float Patterns::ownPower(int drum, const Moment& moment) const {
    float sum = 0;
    for (std::size_t c = 0; c < m_channels.size(); ++c)
        if (isOwn(drum, c))
            for (std::size_t e = c * kTrailBands; e < (c + 1) * kTrailBands; ++e)
                sum += std::max(0.0F, moment.heard[e] - moment.background[e]);
    return sum;
}

void Patterns::learnFrom(int drum, const std::vector<const Moment*>& teachers, double spillShare) {
    std::vector<float> ratios(teachers.size());
    for (std::size_t e = 0; e < entries(); ++e) {
        const std::size_t c = e / kTrailBands;
        for (std::size_t i = 0; i < teachers.size(); ++i)
            ratios[i] = std::max(0.0F, teachers[i]->heard[e] - teachers[i]->background[e]) /
                        std::max(ownPower(drum, *teachers[i]), 1e-20F);
        const double share = isOwn(drum, c) || m_channels[c].isAmbient ? 0.5 : spillShare;
        m_power[static_cast<std::size_t>(drum) * entries() + e] = quantile(ratios, share);
    }
    normalise(drum);
    m_isKnown[static_cast<std::size_t>(drum)] = true;
}

void Patterns::seed(const std::vector<Moment>& moments) {
    constexpr double kLeadS = 0.0002;
    constexpr float kStrong = 0.1F; // of the second strongest
    constexpr std::size_t kLeast = 3;
    for (int d = 0; d < static_cast<int>(m_kit.drums.size()); ++d) {
        const Drum& drum = m_kit.drums[static_cast<std::size_t>(d)];
        if (!drum.isMiked())
            continue;
        std::vector<const Moment*> firsts;
        std::vector<float> powers;
        for (const auto& moment : moments) {
            double mine = 1e9;
            double others = 1e9;
            for (std::size_t i = 0; i < moment.arrivals.size(); ++i) {
                if (moment.arrivals[i] < 0 || m_kit.drumOf[i] < 0)
                    continue;
                double& first = m_kit.drumOf[i] == d ? mine : others;
                first = std::min(first, moment.arrivedS[i]);
            }
            if (mine > 1e8 || mine > others - kLeadS)
                continue;
            firsts.push_back(&moment);
            powers.push_back(ownPower(d, moment));
        }
        if (firsts.size() < kLeast)
            continue;
        auto sorted = powers;
        std::nth_element(sorted.begin(), sorted.begin() + 1, sorted.end(), std::greater<>());
        std::vector<const Moment*> strong;
        for (std::size_t i = 0; i < firsts.size(); ++i)
            if (powers[i] > kStrong * sorted[1])
                strong.push_back(firsts[i]);
        // Spurious rises in a microphone whose drum rests are weak against what spills into it.
        float loudest = 0;
        for (const auto& moment : moments)
            loudest = std::max(loudest, ownPower(d, moment));
        if (sorted[1] < 0.01F * loudest)
            continue;
        learnFrom(d, strong, 0.3);
    }
}

void Patterns::discover(const std::vector<Moment>& moments, const std::vector<std::vector<Stroke>>& strokes) {
    for (int d = 0; d < static_cast<int>(m_kit.drums.size()); ++d) {
        if (m_isKnown[static_cast<std::size_t>(d)])
            continue;
        std::vector<const Moment*> much;
        for (std::size_t m = 0; m < moments.size(); ++m) {
            if (!canBe(d, moments[m]))
                continue;
            float explained = 0;
            for (const auto& s : strokes[m])
                for (std::size_t e = 0; e < entries(); ++e)
                    if (isOwn(d, e / kTrailBands))
                        explained += s.power * of(s.drum)[e];
            if (ownPower(d, moments[m]) > 8 * explained)
                much.push_back(&moments[m]);
        }
        // A drum that plays with every stroke of another is that other's spill.
        if (much.size() >= 2 && much.size() < moments.size() / 4)
            learnFrom(d, much, 0.3);
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
        return cost(logHeard, model);
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
    while (!candidates.empty()) {
        float bestCost = now - kLeastEvidence;
        int best = -1;
        std::vector<Stroke> bestSet;
        for (const int d : candidates) {
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
        if (best < 0)
            break;
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
        const float least = 0.02F * quantile(sizes, 0.9);
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
    std::vector<float> ratios;
    for (std::size_t d = 0; d < drums; ++d) {
        if (teachers[d].size() < 3)
            continue;
        for (std::size_t e = 0; e < n; ++e) {
            const auto& channel = m_channels[e / kTrailBands];
            const bool isOwnEntry = isOwn(static_cast<int>(d), e / kTrailBands);
            const int itsDrum = m_kit.drumOf[static_cast<std::size_t>(channel.input)];
            ratios.clear();
            for (const std::size_t i : teachers[d]) {
                float size = 0;
                float others = moments[i].background[e];
                for (const auto& s : strokes[i]) {
                    if (s.drum == static_cast<int>(d))
                        size = s.power;
                    else if (s.drum != itsDrum)
                        others += s.power * of(s.drum)[e];
                }
                ratios.push_back(std::max(moments[i].heard[e] - others, 0.0F) / size);
            }
            // In another drum's microphone that drum may sound too: the lower edge of what is heard there is
            // the spill.
            const double share = isOwnEntry || channel.isAmbient ? 0.5 : 0.15;
            const float ratio = std::max(quantile(ratios, share), kLeastPower);
            float& p = learned[d * n + e];
            p = std::exp(0.25F * std::log(p) + 0.75F * std::log(ratio));
        }
    }
    m_power = std::move(learned);
    for (std::size_t d = 0; d < drums; ++d)
        normalise(static_cast<int>(d));
}

} // namespace cask::measure
