#include "core/measure/hits/loop_looks.h"

#include "core/measure/hits/rhythm.h"
#include "core/measure/statistics.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

struct Window {
    long fromMs;
    long toMs;
};
constexpr std::array<Window, kLookWindows> kWindows = {
    {{-60, -20}, {-20, -6}, {-6, -1}, {0, 4}, {4, 10}, {10, 20}, {20, 40}, {40, 80}, {80, 160}, {160, 300}}};
constexpr Window kStroke = {0, 12};
constexpr std::size_t kJustBefore = 1; // of the windows
constexpr std::size_t kFirstOfStroke = 3;
constexpr std::size_t kWindowsOfStroke = 3;
constexpr double kLoudShare = 0.9;
constexpr float kUnit = 20; // dB

using Bands = std::array<double, kTrailBands>;

/// Sums of the power of some channels, so that any window's mean is one difference.
class PowerSums {
  public:
    explicit PowerSums(std::span<const BandTrail* const> channels) {
        std::size_t steps = channels.front()->steps();
        for (const auto* trail : channels)
            steps = std::min(steps, trail->steps());
        m_sums.resize(steps + 1);
        for (std::size_t n = 0; n < steps; ++n)
            for (std::size_t b = 0; b < kTrailBands; ++b) {
                double power = 0;
                for (const auto* trail : channels)
                    power += static_cast<double>(powerOfLevelByte(trail->bands[n * kTrailBands + b]));
                m_sums[n + 1][b] = m_sums[n][b] + power;
            }
    }
    [[nodiscard]] Bands mean(const Arrival& arrival, Window window) const {
        const auto steps = static_cast<long>(m_sums.size()) - 1;
        const long at = std::clamp(static_cast<long>(arrival.timeS / kTrailStepS), 0L, steps - 1);
        const long from = std::clamp(at + window.fromMs, 0L, steps);
        const long to = std::clamp(at + window.toMs, from, steps);
        Bands mean{};
        for (std::size_t b = 0; b < kTrailBands; ++b)
            mean[b] = (m_sums[static_cast<std::size_t>(to)][b] - m_sums[static_cast<std::size_t>(from)][b]) /
                      static_cast<double>(std::max(1L, to - from));
        return mean;
    }

  private:
    std::vector<Bands> m_sums;
};

float decibels(double power) {
    return 10 * std::log10(static_cast<float>(power) + 1e-12F);
}

/// The loud one of each column of `rows`, which have `width` numbers each.
float loudOf(const std::vector<float>& rows, std::size_t width, std::size_t column, double share) {
    std::vector<float> values;
    for (std::size_t at = column; at < rows.size(); at += width)
        values.push_back(rows[at]);
    return quantile(values, share);
}

float logOfGap(double seconds) {
    return static_cast<float>(std::log10(std::clamp(seconds, 0.005, 1.0)));
}

} // namespace

std::vector<float> firstLook(std::span<const BandTrail* const> channels, std::span<const Arrival> arrivals) {
    if (arrivals.empty())
        return {};
    const PowerSums all(channels);
    const std::size_t count = arrivals.size();
    std::vector<float> stroke; // by arrival and band
    std::vector<float> total;
    std::vector<float> side(count * kTrailBands, 0.0F);
    for (const auto& a : arrivals) {
        double sum = 0;
        for (const double power : all.mean(a, kStroke)) {
            stroke.push_back(decibels(power));
            sum += power;
        }
        total.push_back(decibels(sum));
    }
    if (channels.size() == 2) {
        const PowerSums left(channels.first(1));
        const PowerSums right(channels.subspan(1, 1));
        for (std::size_t i = 0; i < count; ++i) {
            const auto l = left.mean(arrivals[i], kStroke);
            const auto r = right.mean(arrivals[i], kStroke);
            for (std::size_t b = 0; b < kTrailBands; ++b)
                side[i * kTrailBands + b] = decibels(l[b]) - decibels(r[b]);
        }
    }
    const float loud = loudOf(total, 1, 0, kLoudShare);
    std::array<float, kTrailBands> loudBand{};
    std::array<float, kTrailBands> middle{};
    for (std::size_t b = 0; b < kTrailBands; ++b) {
        loudBand[b] = loudOf(stroke, kTrailBands, b, kLoudShare);
        middle[b] = loudOf(side, kTrailBands, b, 0.5);
    }
    constexpr float kMostSideDb = 12;
    constexpr float kRiseUnit = 40;
    std::vector<float> rows;
    rows.reserve(count * kFirstLook);
    for (std::size_t i = 0; i < count; ++i) {
        std::array<float, kTrailBands> before{};
        for (std::size_t w = 0; w < kLookWindows; ++w) {
            const auto mean = all.mean(arrivals[i], kWindows[w]);
            for (std::size_t b = 0; b < kTrailBands; ++b) {
                const float level = decibels(mean[b]);
                rows.push_back(std::clamp(level - loud, -70.0F, 20.0F) / kUnit + 1);
                if (w == kJustBefore)
                    before[b] = level;
            }
        }
        const float* own = stroke.data() + i * kTrailBands;
        for (std::size_t b = 0; b < kTrailBands; ++b)
            rows.push_back(std::clamp(own[b] - loudBand[b], -50.0F, 20.0F) / kUnit);
        for (std::size_t b = 0; b < kTrailBands; ++b)
            rows.push_back(std::clamp(own[b] - before[b], -20.0F, 40.0F) / kUnit);
        for (std::size_t b = 0; b < kTrailBands; ++b)
            rows.push_back(std::clamp(side[i * kTrailBands + b] - middle[b], -kMostSideDb, kMostSideDb) /
                           kMostSideDb);
        rows.push_back(logOfGap(i > 0 ? arrivals[i].timeS - arrivals[i - 1].timeS : 1));
        rows.push_back(logOfGap(i + 1 < count ? arrivals[i + 1].timeS - arrivals[i].timeS : 1));
        rows.push_back(static_cast<float>(arrivals[i].riseDb) / kRiseUnit);
    }
    return rows;
}

namespace {

/// The sound of a drum's sure strokes: levels of the bands in the windows of a stroke, and how sure it is.
struct OwnSound {
    std::array<float, kWindowsOfStroke * kTrailBands> levels{};
    float weight = 0;
};

OwnSound ownSoundOf(std::size_t drum, std::span<const float> first, std::span<const LoopShares> shares) {
    constexpr float kLeastAlone = 0.02F;
    OwnSound sound;
    for (std::size_t i = 0; i < shares.size(); ++i) {
        float other = 0;
        for (std::size_t d = 0; d < kLoopDrums; ++d)
            other = d == drum ? other : std::max(other, shares[i][d]);
        const float sure =
            2 * std::max(0.0F, shares[i][drum] - 0.5F) * std::clamp(1 - other, kLeastAlone, 1.0F);
        const float weight = sure * sure;
        sound.weight += weight;
        for (std::size_t k = 0; k < sound.levels.size(); ++k)
            sound.levels[k] += weight * first[i * kFirstLook + kFirstOfStroke * kTrailBands + k];
    }
    for (float& level : sound.levels)
        level /= std::max(sound.weight, 1e-6F);
    return sound;
}

/// Differences of an arrival's bands from a drum's own sound, their size, and their size levels apart.
void compare(std::span<const float> row, const OwnSound& sound, std::vector<float>& rows) {
    constexpr float kLeastWeight = 1e-3F;
    constexpr float kMost = 2;
    std::array<float, kTrailBands> off{};
    float square = 1;
    float shape = 1;
    if (sound.weight > kLeastWeight) {
        float mean = 0;
        square = 0;
        for (std::size_t b = 0; b < kTrailBands; ++b) {
            for (std::size_t w = 0; w < kWindowsOfStroke; ++w)
                off[b] += (row[(kFirstOfStroke + w) * kTrailBands + b] - sound.levels[w * kTrailBands + b]) /
                          kWindowsOfStroke;
            mean += off[b] / kTrailBands;
            square += off[b] * off[b] / kTrailBands;
        }
        shape = std::max(0.0F, square - mean * mean);
    }
    for (const float o : off)
        rows.push_back(std::clamp(o, -kMost, kMost));
    rows.push_back(std::sqrt(square));
    rows.push_back(std::sqrt(shape));
    rows.push_back(std::log10((sound.weight > kLeastWeight ? sound.weight : 0) + 0.1F));
}

} // namespace

std::vector<float> secondLook(std::span<const float> first, std::span<const LoopShares> shares,
                              std::span<const Arrival> arrivals) {
    if (arrivals.empty())
        return {};
    constexpr double kNearS = 0.025;
    const std::size_t count = arrivals.size();
    std::array<OwnSound, kLoopDrums> sounds;
    std::array<float, kLoopDrums> often{};
    std::vector<std::vector<TimedShare>> voices(kLoopDrums);
    for (std::size_t d = 0; d < kLoopDrums; ++d) {
        for (std::size_t i = 0; i < count; ++i) {
            voices[d].push_back({arrivals[i].timeS, shares[i][d]});
            often[d] += 2 * shares[i][d] / static_cast<float>(count);
        }
        sounds[d] = ownSoundOf(d, first, shares);
    }
    const Rhythm rhythm(voices);
    std::vector<float> rows;
    rows.reserve(count * kSecondLook);
    std::size_t nearFrom = 0;
    for (std::size_t i = 0; i < count; ++i) {
        while (arrivals[i].timeS - arrivals[nearFrom].timeS > kNearS)
            ++nearFrom;
        for (std::size_t d = 0; d < kLoopDrums; ++d) {
            const float p = shares[i][d];
            rows.push_back(std::log((p + 1e-3F) / (1 - p + 1e-3F)) / 4);
            compare(first.subspan(i * kFirstLook, kFirstLook), sounds[d], rows);
            rows.push_back(often[d]);
            const auto around = rhythm.around(d, arrivals[i].timeS);
            rows.insert(rows.end(), around.begin(), around.end());
            float near = 0;
            for (std::size_t j = nearFrom; j < count && arrivals[j].timeS - arrivals[i].timeS < kNearS; ++j)
                near = j == i ? near : std::max(near, shares[j][d]);
            rows.push_back(near);
        }
    }
    return rows;
}

} // namespace cask::measure
