#include "core/measure/balance/balance_levels.h"

#include "core/measure/step_powers.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace cask::measure {
namespace {

constexpr int kRounds = 40;
constexpr double kAudibleDb = -50; // of a drum against the loudest one, all channels as they are

double toPower(double lufs) {
    constexpr double kOffsetDb = -0.691; // ITU-R BS.1770
    return std::pow(10, (lufs - kOffsetDb) / 10);
}

class Levels {
  public:
    Levels(const KitPowers& powers, const BalanceAsked& asked) : m_powers(powers), m_asked(asked) {
        int last = -1;
        for (const auto& channel : asked.channels)
            last = std::max(last, channel.element);
        // Microphones without a channel are there, and nothing is heard in them.
        for (const auto& drum : asked.drums)
            for (const int e : drum.elements)
                last = std::max(last, e);
        m_gain.assign(static_cast<std::size_t>(last + 1), 0.0);
        m_isSet.assign(m_gain.size(), false);
        m_isHeld.assign(asked.drums.size(), false);
        const std::vector<double> open(m_gain.size(), 1.0);
        std::vector<double> all;
        for (int d = 0; d < static_cast<int>(asked.drums.size()); ++d)
            all.push_back(powers.strokes(d) < kFewestBalanceStrokes ? 0 : power(d, open));
        const double loudest = all.empty() ? 0 : *std::max_element(all.begin(), all.end());
        for (const double one : all)
            m_isKnown.push_back(one > 0 && powerToDb(one / loudest) > kAudibleDb);
    }

    BalanceLevels found() {
        setOverheads();
        setRooms();
        for (std::size_t d = 0; d < m_asked.drums.size(); ++d)
            relateSeconds(static_cast<int>(d));
        for (int round = 0; round < kRounds; ++round)
            for (std::size_t d = 0; d < m_asked.drums.size(); ++d)
                setDrum(static_cast<int>(d));
        BalanceLevels levels;
        levels.isSet = m_isSet;
        levels.areOverheadsHeld = m_areOverheadsHeld;
        for (std::size_t e = 0; e < m_gain.size(); ++e)
            levels.levelDb.push_back(m_isSet[e] ? linearToDb(m_gain[e]) : kSilenceDb);
        levels.drums = drumsAt(m_powers, m_asked, levels.levelDb);
        for (std::size_t d = 0; d < levels.drums.size(); ++d)
            levels.drums[d].isHeld = m_isHeld[d];
        return levels;
    }

    /// Of one drum in channels with such gains (by element), both sides added.
    [[nodiscard]] double power(int drum, const std::vector<double>& gain) const {
        double sum = 0;
        std::vector<double> side(m_asked.channels.size());
        for (const auto part : {&BalanceChannel::left, &BalanceChannel::right}) {
            for (std::size_t i = 0; i < side.size(); ++i)
                side[i] =
                    gain[static_cast<std::size_t>(m_asked.channels[i].element)] * (m_asked.channels[i].*part);
            sum += m_powers.power(drum, side);
        }
        return sum;
    }
    /// In some elements alone, each by its factor of what it is set to.
    [[nodiscard]] double powerIn(int drum, const std::vector<int>& elements,
                                 const std::vector<double>& gain) const {
        std::vector<double> only(gain.size(), 0.0);
        for (const int e : elements)
            only[static_cast<std::size_t>(e)] = gain[static_cast<std::size_t>(e)];
        return power(drum, only);
    }

    [[nodiscard]] bool isKnown(int drum) const { return m_isKnown[static_cast<std::size_t>(drum)]; }

  private:
    [[nodiscard]] const BalanceWish& wish(int drum) const {
        return m_asked.drums[static_cast<std::size_t>(drum)];
    }
    [[nodiscard]] std::vector<double> atUnity(const std::vector<int>& elements) const {
        std::vector<double> gain(m_gain.size(), 0.0);
        for (const int e : elements)
            gain[static_cast<std::size_t>(e)] = 1;
        return gain;
    }
    void setAll(const std::vector<int>& elements, double gain) {
        for (const int e : elements) {
            m_gain[static_cast<std::size_t>(e)] = gain;
            m_isSet[static_cast<std::size_t>(e)] = true;
        }
    }

    /// The gain (all elements alike) at which drums are on the mean as loud as wished, changed by so much.
    [[nodiscard]] double gainFor(const std::vector<int>& drums, const std::vector<int>& elements,
                                 double changeDb) const {
        double sum = 0;
        int count = 0;
        for (const int d : drums)
            if (const double there = power(d, atUnity(elements)); there > 0) {
                sum += 0.5 * std::log(toPower(wish(d).lufs + changeDb) / there);
                ++count;
            }
        return count == 0 ? 0 : std::exp(sum / count);
    }
    [[nodiscard]] std::vector<int> knownDrums(bool withMicrophone) const {
        std::vector<int> drums;
        for (int d = 0; d < static_cast<int>(m_asked.drums.size()); ++d)
            if (isKnown(d) && wish(d).elements.empty() != withMicrophone)
                drums.push_back(d);
        return drums;
    }

    void setOverheads() {
        if (m_asked.overheads.empty())
            return;
        const auto miked = knownDrums(true);
        double gain = gainFor(knownDrums(false), m_asked.overheads, 0);
        if (gain <= 0)
            gain = gainFor(miked, m_asked.overheads, m_asked.overheadsDb);
        if (gain <= 0)
            return; // nothing is known of them
        for (const int d : miked)
            if (const double most = gainFor({d}, m_asked.overheads, m_asked.overheadsMostDb);
                most > 0 && most < gain) {
                gain = most;
                m_areOverheadsHeld = true;
            }
        setAll(m_asked.overheads, gain);
    }

    void setRooms() {
        if (const double gain = gainFor(knownDrums(true), m_asked.rooms, m_asked.roomsDb); gain > 0)
            setAll(m_asked.rooms, gain);
    }

    /// Starts a drum's microphones, the further ones under the leading one.
    void relateSeconds(int drum) {
        const auto& elements = wish(drum).elements;
        if (elements.empty() || !isKnown(drum))
            return;
        const double first = power(drum, atUnity({elements.front()}));
        for (std::size_t k = 0; k < elements.size(); ++k) {
            const double own = power(drum, atUnity({elements[k]}));
            if (own <= 0 || first <= 0)
                continue;
            setAll({elements[k]}, k == 0 ? 1 : std::sqrt(first / own) * dbToLinear(wish(drum).secondDb));
        }
    }

    /// One factor for all of the drum's microphones, so that it is as loud as wished beside what the others
    /// hear of it: of a x^2 + 2 b x + c = wished the greater root.
    void setDrum(int drum) {
        const auto& elements = wish(drum).elements;
        if (elements.empty() || !m_isSet[static_cast<std::size_t>(elements.front())])
            return;
        auto others = m_gain;
        for (const int e : elements)
            others[static_cast<std::size_t>(e)] = 0;
        const double a = powerIn(drum, elements, m_gain);
        const double c = power(drum, others);
        const double b = 0.5 * (power(drum, m_gain) - a - c);
        if (a <= 0)
            return;
        const double wished = toPower(wish(drum).lufs);
        const double under = b * b - a * (c - wished);
        const double least = std::sqrt(wished / a) * dbToLinear(m_asked.ownLeastDb);
        double factor = under <= 0 ? least : std::max(least, (-b + std::sqrt(under)) / a);
        m_isHeld[static_cast<std::size_t>(drum)] = false;
        for (int other = 0; other < static_cast<int>(m_asked.drums.size()); ++other) {
            // Drums without a microphone lead nowhere.
            const bool counts = other != drum && isKnown(other) && !wish(other).elements.empty();
            const double spill = counts ? powerIn(other, elements, m_gain) : 0;
            if (spill <= 0)
                continue;
            const double most =
                std::sqrt(toPower(wish(other).lufs) / spill) * dbToLinear(m_asked.spillMostDb);
            if (most < factor) {
                factor = most;
                m_isHeld[static_cast<std::size_t>(drum)] = true;
            }
        }
        for (const int e : elements)
            m_gain[static_cast<std::size_t>(e)] *= factor;
    }

    const KitPowers& m_powers;
    const BalanceAsked& m_asked;
    std::vector<double> m_gain; ///< linear, by element
    std::vector<bool> m_isSet;
    std::vector<bool> m_isKnown, m_isHeld; ///< by drum
    bool m_areOverheadsHeld = false;
};

} // namespace

BalanceLevels findLevels(const KitPowers& powers, const BalanceAsked& asked) {
    return Levels(powers, asked).found();
}

std::vector<BalancedDrum> drumsAt(const KitPowers& powers, const BalanceAsked& asked,
                                  std::span<const double> levelDb) {
    const Levels all(powers, asked);
    std::vector<double> gain(levelDb.size());
    std::transform(levelDb.begin(), levelDb.end(), gain.begin(), [](double db) { return dbToLinear(db); });
    std::vector<BalancedDrum> drums(asked.drums.size());
    for (int d = 0; d < static_cast<int>(drums.size()); ++d) {
        auto& drum = drums[static_cast<std::size_t>(d)];
        drum.isKnown = all.isKnown(d);
        if (!drum.isKnown)
            continue;
        const auto& elements = asked.drums[static_cast<std::size_t>(d)].elements;
        auto others = gain;
        for (const int e : elements)
            others[static_cast<std::size_t>(e)] = 0;
        const double own = all.powerIn(d, elements, gain);
        drum.lufs = lufsOf(all.power(d, gain));
        drum.ownLufs = lufsOf(own);
        drum.isLed = own > all.power(d, others);
    }
    return drums;
}

} // namespace cask::measure
