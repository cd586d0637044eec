#include "core/measure/hits/pattern_math.h"
#include "core/measure/hits/patterns.h"

#include <cmath>
#include <limits>

namespace cask::measure {
namespace {

constexpr float kMostError2 = 12;   // of one entry, in variances
constexpr float kLeastEvidence = 9; // a stroke must gain this much
constexpr float kSpreadDb = 4;      // strokes of one drum differ by this much in a band
constexpr float kLateCost = 4;      // of a stroke that may be another's spill by its time
constexpr float kUncausedCost = 6;  // of sound that came before the stroke that should have made it

} // namespace

float Patterns::cost(std::span<const float> logHeard, std::span<const float> model) const {
    float sum = 0;
    for (std::size_t e = 0; e < entries(); ++e) {
        const float error = (logHeard[e] - fastDb(model[e])) * (1 / kSpreadDb);
        sum += m_weights[e] * std::min(error * error, kMostError2);
    }
    return sum;
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

/// The search for the strokes of one moment.
class Patterns::Explanation {
  public:
    Explanation(const Patterns& patterns, const Moment& moment, std::span<const float> before)
        : m_patterns(patterns), m_moment(moment), m_logHeard(patterns.entries()), m_rest(patterns.entries()),
          m_model(patterns.entries()) {
        for (std::size_t e = 0; e < m_rest.size(); ++e) {
            m_logHeard[e] = fastDb(std::max(moment.heard[e], kLeastPower));
            m_rest[e] = std::max({moment.background[e], before.empty() ? 0.0F : before[e], kLeastPower});
        }
        m_cost = costOf({});
    }

    /// Adds the drum that makes the moment likeliest, as long as that is much; returns whether one was.
    bool add(std::vector<int>& candidates) {
        float bestGain = 0;
        float bestCost = m_cost;
        std::vector<Stroke> bestSet;
        for (const int d : candidates) {
            auto set = m_strokes;
            set.push_back({d, 0, 0});
            float c = fitSize(set, set.size() - 1);
            if (set.size() > 1) {
                for (std::size_t i = 0; i + 1 < set.size(); ++i)
                    fitSize(set, i);
                c = fitSize(set, set.size() - 1);
            }
            const float gain = m_cost - c - m_patterns.leastEvidence(set.back());
            if (gain > bestGain) {
                bestGain = gain;
                bestCost = c;
                bestSet = std::move(set);
            }
        }
        if (bestSet.empty())
            return false;
        std::erase(candidates, bestSet.back().drum);
        m_strokes = std::move(bestSet);
        m_cost = bestCost;
        return true;
    }

    /// Takes out strokes that a later one made needless, and says what would be lost without each that stays.
    void prune() {
        for (std::size_t i = 0; i < m_strokes.size();) {
            auto without = m_strokes;
            without.erase(without.begin() + static_cast<std::ptrdiff_t>(i));
            const float least = m_patterns.leastEvidence(m_strokes[i]);
            m_strokes[i].evidence = costOf(without) - m_cost;
            // Others' patterns may explain a plain stroke too: it is as sure as one that is just believed.
            if (m_patterns.isPlain(m_strokes[i], m_moment))
                m_strokes[i].evidence = std::max(m_strokes[i].evidence, least);
            if (m_strokes[i].evidence >= least) {
                ++i;
                continue;
            }
            m_strokes = std::move(without);
            m_cost = costOf(m_strokes);
            i = 0;
        }
    }
    [[nodiscard]] const std::vector<Stroke>& strokes() const { return m_strokes; }

  private:
    void addTo(std::vector<float>& model, const Stroke& s) const {
        const auto power = m_patterns.of(s.drum);
        for (std::size_t e = 0; e < model.size(); ++e)
            model[e] += s.power * power[e];
    }
    [[nodiscard]] float costOf(const std::vector<Stroke>& set) {
        m_model = m_rest;
        for (const auto& s : set)
            addTo(m_model, s);
        return m_patterns.cost(m_logHeard, m_model) + m_patterns.arrivalCost(m_moment, set);
    }
    /// Best size of one stroke with the others as they are, from what its own microphones have left over.
    float fitSize(std::vector<Stroke>& set, std::size_t at) {
        m_model = m_rest;
        for (std::size_t i = 0; i < set.size(); ++i)
            if (i != at)
                addTo(m_model, set[i]);
        constexpr float kCounts = 0.004F; // share of a band in its own microphone
        const auto own = m_patterns.of(set[at].drum);
        m_sizes.clear();
        for (std::size_t e = 0; e < own.size(); ++e)
            if (own[e] > kCounts && m_patterns.isOwn(set[at].drum, e / kTrailBands))
                m_sizes.push_back(std::max(0.0F, m_moment.heard[e] - m_model[e]) / own[e]);
        float best = 0;
        float bestCost = std::numeric_limits<float>::max();
        for (const double share : {0.35, 0.5, 0.65, 0.8}) {
            if (m_sizes.empty())
                break;
            set[at].power = std::max(quantile(m_sizes, share), kLeastPower);
            const float c = costOf(set);
            if (c < bestCost) {
                bestCost = c;
                best = set[at].power;
            }
        }
        set[at].power = best;
        return bestCost;
    }

    const Patterns& m_patterns;
    const Moment& m_moment;
    std::vector<float> m_logHeard;
    std::vector<float> m_rest; ///< what is there without any stroke
    std::vector<float> m_model;
    std::vector<float> m_sizes;
    std::vector<Stroke> m_strokes;
    float m_cost = 0;
};

/// What a stroke must gain to be believed: more when it is softer than its drum is played.
float Patterns::leastEvidence(const Stroke& stroke) const {
    constexpr float kSoftestDb = -22; // ghosts against strong strokes
    constexpr float kPerDb = 1.5F;
    const float strong = m_strong[static_cast<std::size_t>(stroke.drum)];
    if (strong == std::numeric_limits<float>::max())
        return kLeastEvidence;
    const float db = fastDb(std::max(stroke.power / strong, kLeastPower));
    return kLeastEvidence + kPerDb * std::max(0.0F, kSoftestDb - db);
}

/// A stroke that is as strong as most of its drum, and louder in its drum's microphone than the moment is in
/// any other drum's, is that drum's, whatever else would explain it.
bool Patterns::isPlain(const Stroke& stroke, const Moment& moment) const {
    constexpr float kStrong = 0.25F;
    const auto drum = static_cast<std::size_t>(stroke.drum);
    if (!m_kit.drums[drum].isMiked() || stroke.power < kStrong * m_strong[drum])
        return false;
    const float mine = loudestPower(stroke.drum, moment);
    for (std::size_t d = 0; d < m_kit.drums.size(); ++d)
        if (d != drum && m_kit.drums[d].isMiked() && loudestPower(static_cast<int>(d), moment) > mine)
            return false;
    return true;
}

std::vector<Stroke> Patterns::explain(const Moment& moment, std::span<const float> before) const {
    Explanation explanation(*this, moment, before);
    // A drum without a microphone is only called for what the others leave unexplained.
    for (const bool isMiked : {true, false}) {
        std::vector<int> candidates;
        for (int d = 0; d < static_cast<int>(m_kit.drums.size()); ++d)
            if (m_kit.drums[static_cast<std::size_t>(d)].isMiked() == isMiked &&
                m_isKnown[static_cast<std::size_t>(d)] && canBe(d, moment))
                candidates.push_back(d);
        while (!candidates.empty() && explanation.add(candidates)) {
        }
        explanation.prune();
    }
    return explanation.strokes();
}

} // namespace cask::measure
