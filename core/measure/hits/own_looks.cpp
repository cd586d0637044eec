#include "core/measure/hits/own_looks.h"

#include "core/measure/hits/pattern_math.h"
#include "core/measure/hits/rhythm.h"

#include <cmath>

namespace cask::measure {
namespace {

constexpr float kUnitDb = 20;
constexpr double kStrongShare = 0.75; // of a drum's strokes are softer than what is called its strong ones

std::size_t groupOf(Role role) {
    switch (role) {
    case Role::KickIn:
    case Role::KickOut:
    case Role::SubKick:
        return 0;
    case Role::SnareTop:
    case Role::SnareBottom:
        return 1;
    case Role::ClosedHat:
    case Role::OpenHat:
        return 2;
    case Role::RackTom:
    case Role::FloorTom:
        return 3;
    default:
        return 4;
    }
}

float ratioOf(float a, float b, float leastDb, float mostDb) {
    return std::clamp(fastDb(std::max(a, kLeastPower)) - fastDb(std::max(b, kLeastPower)), leastDb, mostDb) /
           kUnitDb;
}

float logOfGap(double seconds) {
    return static_cast<float>(std::log10(std::clamp(seconds, 0.005, 1.0)));
}

/// What all candidates of one part of a kit share.
class Looker {
  public:
    Looker(const Patterns& patterns, const std::vector<Moment>& moments,
           const std::vector<std::vector<Stroke>>& strokes, const std::vector<std::vector<Arrival>>& arrivals)
        : m_patterns(patterns), m_moments(moments), m_strokes(strokes), m_arrivals(arrivals) {
        const auto& kit = patterns.kit();
        for (std::size_t d = 0; d < kit.drums.size(); ++d)
            m_strong.push_back(strongOf(static_cast<int>(d)));
        for (std::size_t i = 0; i < kit.drumOf.size(); ++i)
            m_loud.push_back(loudIn(static_cast<int>(i)));
    }

    void look(int drum, OwnLooks& looks) const {
        std::vector<std::pair<std::size_t, int>> found; // moment, input
        for (std::size_t m = 0; m < m_moments.size(); ++m)
            if (const int input = heardIn(drum, m_moments[m]); input >= 0)
                found.emplace_back(m, input);
        for (std::size_t i = 0; i < found.size(); ++i) {
            const auto [m, input] = found[i];
            looks.candidates.push_back({drum, m, input});
            describe(drum, m, input, looks.rows);
            const double at = m_moments[m].timeS;
            looks.rows.push_back(logOfGap(i > 0 ? at - m_moments[found[i - 1].first].timeS : 1));
            looks.rows.push_back(
                logOfGap(i + 1 < found.size() ? m_moments[found[i + 1].first].timeS - at : 1));
            looks.rows.push_back(logOfGap(sinceStroke(drum, found, i, true)));
            looks.rows.push_back(logOfGap(sinceStroke(drum, found, i, false)));
        }
    }

  private:
    [[nodiscard]] const Drum& drumAt(int drum) const {
        return m_patterns.kit().drums[static_cast<std::size_t>(drum)];
    }

    [[nodiscard]] int heardIn(int drum, const Moment& moment) const {
        for (const int input : drumAt(drum).inputs)
            if (moment.arrivals[static_cast<std::size_t>(input)] >= 0)
                return input;
        return -1;
    }

    /// What a moment adds to a band of an input's channels.
    [[nodiscard]] float added(const Moment& moment, int input, std::size_t band) const {
        float sum = 0;
        for (std::size_t c = 0; c < m_patterns.channels().size(); ++c)
            if (m_patterns.channels()[c].input == input) {
                const std::size_t e = c * kTrailBands + band;
                sum += std::max(0.0F, moment.heard[e] - moment.background[e]);
            }
        return sum;
    }
    [[nodiscard]] float addedInAll(const Moment& moment, int input) const {
        float sum = kLeastPower;
        for (std::size_t b = 0; b < kTrailBands; ++b)
            sum += added(moment, input, b);
        return sum;
    }

    /// Size of a drum's strong strokes; where none are known, of the loud moments in its microphone.
    [[nodiscard]] float strongOf(int drum) const {
        std::vector<float> sizes;
        for (const auto& here : m_strokes)
            for (const auto& s : here)
                if (s.drum == drum)
                    sizes.push_back(s.power);
        if (sizes.empty() && drumAt(drum).isMiked())
            for (const auto& moment : m_moments)
                if (moment.arrivals[static_cast<std::size_t>(drumAt(drum).inputs.front())] >= 0)
                    sizes.push_back(addedInAll(moment, drumAt(drum).inputs.front()));
        return std::max(kLeastPower, quantile(sizes, kStrongShare));
    }

    /// Power that is loud among all moments that an input heard.
    [[nodiscard]] float loudIn(int input) const {
        constexpr double kLoudShare = 0.9;
        std::vector<float> powers;
        for (const auto& moment : m_moments)
            if (moment.arrivals[static_cast<std::size_t>(input)] >= 0)
                powers.push_back(addedInAll(moment, input));
        return std::max(kLeastPower, quantile(powers, kLoudShare));
    }

    [[nodiscard]] const Stroke* strokeOf(int drum, std::size_t m) const {
        for (const auto& s : m_strokes[m])
            if (s.drum == drum)
                return &s;
        return nullptr;
    }

    /// Time to the nearest stroke that the patterns found of the drum, before or after.
    [[nodiscard]] double sinceStroke(int drum, const std::vector<std::pair<std::size_t, int>>& found,
                                     std::size_t i, bool isBefore) const {
        const double at = m_moments[found[i].first].timeS;
        for (std::size_t k = i; isBefore ? k-- > 0 : ++k < found.size();) {
            const double awayS = std::abs(m_moments[found[k].first].timeS - at);
            if (awayS > 1)
                break;
            if (strokeOf(drum, found[k].first) != nullptr)
                return awayS;
        }
        return 1;
    }

    /// Mean power of an input after a moment, in bands from one to another.
    [[nodiscard]] float later(int input, double timeS, double fromS, double toS, std::size_t low,
                              std::size_t high) const {
        float sum = kLeastPower;
        for (const auto& channel : m_patterns.channels()) {
            if (channel.input != input)
                continue;
            const auto steps = static_cast<long>(channel.trail->steps());
            const long from =
                std::clamp(std::lround((timeS + fromS - channel.offsetS) / kTrailStepS), 0L, steps);
            const long to =
                std::clamp(std::lround((timeS + toS - channel.offsetS) / kTrailStepS), from, steps);
            float power = 0;
            for (long n = from; n < to; ++n)
                for (std::size_t b = low; b < high; ++b)
                    power +=
                        powerOfLevelByte(channel.trail->bands[static_cast<std::size_t>(n) * kTrailBands + b]);
            sum += to > from ? power / static_cast<float>(to - from) : 0;
        }
        return sum;
    }

    void describe(int drum, std::size_t m, int input, std::vector<float>& rows) const {
        const Moment& moment = m_moments[m];
        const auto& channels = m_patterns.channels();
        const float strong = m_strong[static_cast<std::size_t>(drum)];
        const auto own = m_patterns.of(drum);
        const auto at = static_cast<std::size_t>(input);
        std::array<float, kTrailBands> heard{};
        std::array<float, kTrailBands> background{};
        std::array<float, kTrailBands> usual{};  // of a strong own stroke
        std::array<float, kTrailBands> others{}; // background, and what other strokes add
        std::array<float, kTrailBands> air{};    // of the microphones that hear all
        std::array<float, kTrailBands> airUsual{};
        std::array<float, kTrailBands> airBefore{};
        for (std::size_t c = 0; c < channels.size(); ++c)
            for (std::size_t b = 0; b < kTrailBands; ++b) {
                const std::size_t e = c * kTrailBands + b;
                if (channels[c].input == input) {
                    heard[b] += moment.heard[e];
                    background[b] += moment.background[e];
                    others[b] += moment.background[e];
                    usual[b] += strong * own[e];
                    for (const auto& s : m_strokes[m])
                        if (s.drum != drum)
                            others[b] += s.power * m_patterns.of(s.drum)[e];
                } else if (channels[c].isAmbient) {
                    air[b] += moment.heard[e];
                    airBefore[b] += moment.background[e];
                    airUsual[b] += strong * own[e];
                }
            }
        float all = kLeastPower;
        float allUsual = kLeastPower;
        float allOthers = kLeastPower;
        for (std::size_t b = 0; b < kTrailBands; ++b) {
            all += heard[b];
            allUsual += usual[b];
            allOthers += others[b];
        }
        for (std::size_t b = 0; b < kTrailBands; ++b)
            rows.push_back(ratioOf(heard[b], allUsual, -60, 20));
        for (std::size_t b = 0; b < kTrailBands; ++b)
            rows.push_back(ratioOf(std::max(0.0F, heard[b] - background[b]), usual[b], -40, 30));
        for (std::size_t b = 0; b < kTrailBands; ++b)
            rows.push_back(ratioOf(heard[b], background[b], -10, 50));
        for (std::size_t b = 0; b < kTrailBands; ++b)
            rows.push_back(ratioOf(heard[b], others[b], -20, 40));
        for (std::size_t b = 0; b < kTrailBands; ++b)
            rows.push_back(ratioOf(air[b], airBefore[b], -10, 40));
        for (std::size_t b = 0; b < kTrailBands; ++b)
            rows.push_back(ratioOf(air[b], airUsual[b], -30, 40));
        // Whatever the patterns made of it: against what is loud in this microphone.
        for (std::size_t b = 0; b < kTrailBands; ++b)
            rows.push_back(ratioOf(heard[b], m_loud[at], -60, 20));
        describeOrder(drum, input, moment, rows);
        describeOthers(drum, moment, rows);
        const Stroke* stroke = strokeOf(drum, m);
        float otherEvidence = 0;
        for (const auto& s : m_strokes[m])
            otherEvidence = s.drum == drum ? otherEvidence : std::max(otherEvidence, s.evidence);
        rows.push_back(stroke != nullptr ? 1.0F : 0.0F);
        rows.push_back(stroke != nullptr ? std::log1p(std::max(0.0F, stroke->evidence)) / 4 : 0);
        rows.push_back(stroke != nullptr ? ratioOf(stroke->power, strong, -40, 20) : -2.0F);
        rows.push_back(std::log1p(std::max(0.0F, otherEvidence)) / 4);
        rows.push_back(ratioOf(all, allUsual, -50, 20));
        rows.push_back(ratioOf(all, allOthers, -10, 40));
        rows.push_back(
            static_cast<float>(m_arrivals[at][static_cast<std::size_t>(moment.arrivals[at])].riseDb) / 40);
        // How it goes on: all of it, and above 1.8 kHz.
        const float first = later(input, moment.timeS, 0, 0.014, 0, kTrailBands);
        const float firstHigh = later(input, moment.timeS, 0, 0.014, 5, kTrailBands);
        rows.push_back(ratioOf(later(input, moment.timeS, 0.02, 0.05, 0, kTrailBands), first, -40, 20));
        rows.push_back(ratioOf(later(input, moment.timeS, 0.06, 0.12, 0, kTrailBands), first, -50, 20));
        rows.push_back(ratioOf(later(input, moment.timeS, 0.02, 0.05, 5, kTrailBands), firstHigh, -40, 20));
    }

    /// When each region of the spectrum rises here, and in the other drums' microphones.
    void describeOrder(int drum, int input, const Moment& moment, std::vector<float>& rows) const {
        constexpr float kMostMs = 6;
        const auto& kit = m_patterns.kit();
        const auto bounded = [&](float ms) { return std::clamp(ms, -kMostMs, kMostMs) / kMostMs; };
        for (std::size_t r = 0; r < kRegions; ++r) {
            const float own = moment.regionMs[static_cast<std::size_t>(input)][r];
            float other = kNeverMs;
            for (const int i : kit.listening)
                if (kit.drumOf[static_cast<std::size_t>(i)] >= 0 &&
                    kit.drumOf[static_cast<std::size_t>(i)] != drum)
                    other = std::min(other, moment.regionMs[static_cast<std::size_t>(i)][r]);
            rows.push_back(own >= kNeverMs ? 1.0F : 0.0F);
            rows.push_back(other >= kNeverMs ? 1.0F : 0.0F);
            rows.push_back(own >= kNeverMs ? 1.0F : other >= kNeverMs ? -1.0F : bounded(own - other));
        }
        rows.push_back(bounded(
            static_cast<float>(1000 * (moment.arrivedS[static_cast<std::size_t>(input)] - moment.timeS))));
        rows.push_back(static_cast<float>(moment.spanS) * 100);
        rows.push_back(static_cast<float>(moment.highFallDb) / kUnitDb);
    }

    /// What the drum is, and how loud the moment is in the microphones of the others, against their own.
    void describeOthers(int drum, const Moment& moment, std::vector<float>& rows) const {
        const auto& kit = m_patterns.kit();
        const std::size_t group = groupOf(drumAt(drum).role);
        std::array<float, kRoleGroups> most{};
        most.fill(-2);
        for (std::size_t d = 0; d < kit.drums.size(); ++d) {
            if (static_cast<int>(d) == drum || !kit.drums[d].isMiked())
                continue;
            float& there = most[groupOf(kit.drums[d].role)];
            there = std::max(there,
                             ratioOf(addedInAll(moment, kit.drums[d].inputs.front()), m_strong[d], -40, 20));
        }
        for (std::size_t g = 0; g < kRoleGroups; ++g) {
            rows.push_back(g == group ? 1.0F : 0.0F);
            rows.push_back(most[g]);
        }
    }

    const Patterns& m_patterns;
    const std::vector<Moment>& m_moments;
    const std::vector<std::vector<Stroke>>& m_strokes;
    const std::vector<std::vector<Arrival>>& m_arrivals;
    std::vector<float> m_strong; ///< by drum
    std::vector<float> m_loud;   ///< by input
};

} // namespace

OwnLooks ownLooks(const Patterns& patterns, const std::vector<Moment>& moments,
                  const std::vector<std::vector<Stroke>>& strokes,
                  const std::vector<std::vector<Arrival>>& arrivals, const ParallelFor& parallel) {
    const Looker looker(patterns, moments, strokes, arrivals);
    std::vector<OwnLooks> ofDrums(patterns.kit().drums.size());
    parallel(ofDrums.size(), [&](std::size_t d) {
        if (patterns.kit().drums[d].isMiked())
            looker.look(static_cast<int>(d), ofDrums[d]);
    });
    OwnLooks looks;
    for (const auto& own : ofDrums) {
        looks.candidates.insert(looks.candidates.end(), own.candidates.begin(), own.candidates.end());
        looks.rows.insert(looks.rows.end(), own.rows.begin(), own.rows.end());
    }
    return looks;
}

namespace {

/// The numbers of a row that say how a rise sounds: its bands in the drum's own microphone and in those that
/// hear all.
std::array<float, kSoundNumbers> soundOf(std::span<const float> row) {
    constexpr std::size_t kAir = 5 * kTrailBands;
    std::array<float, kSoundNumbers> sound{};
    for (std::size_t b = 0; b < kTrailBands; ++b) {
        sound[b] = row[b];
        sound[kTrailBands + b] = row[kAir + b];
    }
    return sound;
}

/// Mean of rows that count by how sure they are.
struct MeanSound {
    std::array<float, kSoundNumbers> numbers{};
    float weight = 0;

    void add(std::span<const float> row, float sure) {
        const auto sound = soundOf(row);
        for (std::size_t k = 0; k < kSoundNumbers; ++k)
            numbers[k] += sure * sound[k];
        weight += sure;
    }
    void finish() {
        for (float& n : numbers)
            n /= std::max(weight, 1e-6F);
    }
    /// Differences from it, their size, their size with levels apart, and how well it is known.
    void compare(std::span<const float> row, std::vector<float>& rows) const {
        constexpr float kLeastWeight = 1e-3F;
        constexpr float kMost = 2;
        const bool isKnown = weight > kLeastWeight;
        const auto sound = soundOf(row);
        float square = 0;
        float mean = 0;
        for (std::size_t k = 0; k < kSoundNumbers; ++k) {
            const float off = isKnown ? sound[k] - numbers[k] : 0;
            rows.push_back(std::clamp(off, -kMost, kMost));
            if (k < kTrailBands) {
                square += off * off / kTrailBands;
                mean += off / kTrailBands;
            }
        }
        rows.push_back(isKnown ? std::sqrt(square) : 1);
        rows.push_back(isKnown ? std::sqrt(std::max(0.0F, square - mean * mean)) : 1);
        rows.push_back(std::log10((isKnown ? weight : 0) + 0.1F));
    }
};

} // namespace

std::vector<float> ownSecondLook(const OwnLooks& looks, std::span<const float> shares, const KitModel& kit,
                                 const std::vector<Moment>& moments) {
    constexpr double kNextS = 0.06;
    constexpr float kFew = 0.1F;
    const std::size_t count = looks.candidates.size();
    const std::size_t drums = kit.drums.size();
    std::vector<MeanSound> own(drums);
    std::vector<MeanSound> others(drums);
    std::vector<std::vector<TimedShare>> voices(drums);
    std::vector<float> often(drums);
    std::vector<std::vector<std::pair<int, float>>> here(moments.size()); // drum and share
    for (std::size_t i = 0; i < count; ++i) {
        const auto& c = looks.candidates[i];
        const auto d = static_cast<std::size_t>(c.drum);
        const auto row = std::span(looks.rows).subspan(i * kOwnLook, kOwnLook);
        const float sure = 2 * std::max(0.0F, shares[i] - 0.5F);
        const float unsure = 2 * std::max(0.0F, 0.5F - shares[i]);
        own[d].add(row, sure * sure);
        others[d].add(row, unsure * unsure);
        voices[d].push_back({moments[c.moment].timeS, shares[i]});
        often[d] += shares[i];
        here[c.moment].emplace_back(c.drum, shares[i]);
    }
    for (std::size_t d = 0; d < drums; ++d) {
        own[d].finish();
        others[d].finish();
    }
    const Rhythm rhythm(voices);
    std::vector<float> rows;
    rows.reserve(count * kOwnSecondLook);
    for (std::size_t i = 0; i < count; ++i) {
        const auto& c = looks.candidates[i];
        const auto d = static_cast<std::size_t>(c.drum);
        const auto row = std::span(looks.rows).subspan(i * kOwnLook, kOwnLook);
        own[d].compare(row, rows);
        others[d].compare(row, rows);
        const float p = shares[i];
        rows.push_back(std::log((p + 1e-3F) / (1 - p + 1e-3F)) / 4);
        rows.push_back(std::log10(often[d] / static_cast<float>(voices[d].size()) + kFew));
        const double at = moments[c.moment].timeS;
        const auto around = rhythm.around(d, at);
        rows.insert(rows.end(), around.begin(), around.end());
        const auto neighbour = [&](bool is, std::size_t k) {
            return is && looks.candidates[k].drum == c.drum &&
                           std::abs(moments[looks.candidates[k].moment].timeS - at) < kNextS
                       ? shares[k]
                       : 0.0F;
        };
        rows.push_back(neighbour(i > 0, i - 1));
        rows.push_back(neighbour(i + 1 < count, i + 1));
        std::array<float, kRoleGroups> groups{};
        for (const auto& [drum, share] : here[c.moment])
            if (drum != c.drum) {
                float& most = groups[groupOf(kit.drums[static_cast<std::size_t>(drum)].role)];
                most = std::max(most, share);
            }
        rows.insert(rows.end(), groups.begin(), groups.end());
    }
    return rows;
}

} // namespace cask::measure
