#include "core/measure/hits/decays.h"

#include "core/measure/hits/pattern_math.h"

#include <cmath>
#include <limits>

namespace cask::measure {
namespace {

constexpr float kStrong = 0.1F;      // of the strong strokes
constexpr float kMuchSofter = 0.03F; // than the stroke: may be its tail, so its tail goes on
constexpr double kMostly = 0.6;      // of the strokes: samples and strengths differ in their tails
constexpr std::size_t kFewest = 3;
constexpr std::size_t kMostTeachers = 120;
constexpr float kMostRise = 3;          // of a tail over its lowest until then
constexpr float kMostMetalRise = 1.25F; // metal falls evenly
constexpr std::size_t kAttack = 4;      // bins that belong to the stroke itself
constexpr double kNextS = 0.012;        // by which a tail ends before the next stroke

/// Mean power of a bin after an instant, without the noise.
float binPower(const TrailChannel& channel, std::size_t band, double timeS) {
    const auto steps = static_cast<long>(channel.trail->steps());
    const long from = std::clamp(std::lround((timeS - channel.offsetS) / kTrailStepS), 0L, steps);
    const long to = std::clamp(from + std::lround(Decays::kBinS / kTrailStepS), from, steps);
    float sum = 0;
    for (long n = from; n < to; ++n)
        sum += powerOfLevelByte(channel.trail->bands[static_cast<std::size_t>(n) * kTrailBands + band]);
    return to > from ? std::max(0.0F, sum / static_cast<float>(to - from) - channel.floor[band]) : 0;
}

} // namespace

void Decays::learn(const Patterns& patterns, const std::vector<Moment>& moments,
                   const std::vector<std::vector<Stroke>>& strokes) {
    struct Own {
        double timeS;
        float power;
    };
    for (std::size_t d = 0; d < m_tails.size(); ++d) {
        std::vector<Own> own;
        std::vector<float> sizes;
        for (std::size_t m = 0; m < moments.size(); ++m)
            for (const auto& s : strokes[m])
                if (s.drum == static_cast<int>(d)) {
                    own.push_back({moments[m].timeS, s.power});
                    sizes.push_back(s.power);
                }
        m_tails[d].clear();
        const bool isMetal = regionOf(patterns.kit().drums[d].role) == 2;
        if (own.size() < kFewest)
            continue;
        const float least = kStrong * quantile(sizes, 0.9);
        std::vector<double> endsS(own.size(), std::numeric_limits<double>::max());
        for (std::size_t i = 0; i < own.size(); ++i)
            for (std::size_t j = i + 1; j < own.size() && own[j].timeS < own[i].timeS + kLongestS; ++j)
                if (own[j].power > kMuchSofter * own[i].power) {
                    endsS[i] = own[j].timeS;
                    break;
                }
        const std::size_t skip = own.size() / kMostTeachers + 1;
        for (std::size_t c = 0; c < patterns.channels().size(); ++c) {
            if (!patterns.isOwn(static_cast<int>(d), c) || patterns.channels()[c].isAmbient)
                continue;
            Tail tail{c, std::vector<float>(kBins * kTrailBands)};
            std::array<float, kTrailBands> lowest{};
            std::vector<std::vector<float>> ratios(kTrailBands);
            for (std::size_t k = 0; k < kBins; ++k) {
                for (auto& list : ratios)
                    list.clear();
                for (std::size_t i = 0; i < own.size(); i += skip) {
                    const double atS = own[i].timeS + kBinS * static_cast<double>(k);
                    if (own[i].power < least || atS + kBinS + kNextS > endsS[i])
                        continue;
                    for (std::size_t b = 0; b < kTrailBands; ++b)
                        ratios[b].push_back(binPower(patterns.channels()[c], b, atS) / own[i].power);
                }
                if (ratios[0].size() < kFewest)
                    break; // the next stroke always comes sooner
                for (std::size_t b = 0; b < kTrailBands; ++b) {
                    float power = quantile(ratios[b], kMostly);
                    if (k > kAttack)
                        power = std::min(power, (isMetal ? kMostMetalRise : kMostRise) * lowest[b]);
                    lowest[b] = k <= kAttack ? power : std::min(lowest[b], power);
                    tail.power[k * kTrailBands + b] = power;
                }
            }
            m_tails[d].push_back(std::move(tail));
        }
    }
}

void Decays::raise(const Patterns& patterns, const Stroke& stroke, double sinceS,
                   std::vector<float>& power) const {
    constexpr double kFreshS = 0.02;   // a stroke is heard for so long
    constexpr float kFresh = 1.2F;     // of it, then
    constexpr std::size_t kWindow = 3; // bins that a moment's power is of
    const auto at = static_cast<std::size_t>(std::max(0.0, sinceS / kBinS));
    const std::size_t from = at > 0 ? at - 1 : 0;
    const auto own = patterns.of(stroke.drum);
    std::array<float, kTrailBands> left{}; // of each band, against the stroke
    if (sinceS < kFreshS)
        left.fill(kFresh);
    for (const auto& tail : m_tails[static_cast<std::size_t>(stroke.drum)])
        for (std::size_t k = from; k < std::min(at + kWindow, kBins); ++k)
            for (std::size_t b = 0; b < kTrailBands; ++b) {
                const std::size_t e = tail.channel * kTrailBands + b;
                const float here = tail.power[k * kTrailBands + b];
                power[e] = std::max(power[e], stroke.power * here);
                if (&tail == &m_tails[static_cast<std::size_t>(stroke.drum)].front())
                    left[b] = std::max(left[b], std::min(1.0F, here / own[e]));
            }
    // Its spill goes on likewise.
    for (std::size_t e = 0; e < power.size(); ++e)
        power[e] = std::max(power[e], stroke.power * left[e % kTrailBands] * own[e]);
}

} // namespace cask::measure
