#include "core/measure/hits/pattern_math.h"
#include "core/measure/hits/patterns.h"

#include <cmath>

namespace cask::measure {
namespace {

constexpr double kLowerEdge = 0.2; // of what is heard in another drum's microphone: the spill alone
constexpr double kLowestEdge = 0.1;

} // namespace

void Patterns::limitSpill(int drum) {
    // Sound changes smoothly on its way from one microphone to another. Where a band is far above what the
    // way does to the others, another drum was heard that often plays at the same time.
    constexpr float kMostOffDb = 15;
    constexpr float kMostSpill = 0.125F; // of its power in its own microphone, in another drum's
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
    // What is as loud in another drum's microphone as in its own is that drum, struck along with it.
    float own = 0;
    for (std::size_t c = 0; c < m_channels.size(); ++c)
        if (isOwn(drum, c))
            own = std::max(own, channelPower(drum, c));
    for (std::size_t c = 0; c < m_channels.size(); ++c) {
        if (!isOtherDrum(drum, c) || !m_kit.drums[static_cast<std::size_t>(drum)].isMiked())
            continue;
        const float excess = channelPower(drum, c) / (kMostSpill * own);
        for (std::size_t e = c * kTrailBands; excess > 1 && e < (c + 1) * kTrailBands; ++e)
            power[e] /= excess;
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
        if (!sizes.empty())
            m_strong[d] = quantile(sizes, 0.9);
        if (sizes.size() < 3)
            continue;
        const float least = 0.05F * m_strong[d];
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
