#include "core/measure/hits/hit_material.h"
#include "core/measure/statistics.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kQuietBeforeS = 0.05; // no other hit so long before
constexpr double kPeakWithinS = 0.020;
constexpr double kEnvelopeS = 0.001;
constexpr double kLongestDecayS = 1.0;
constexpr double kFall = 0.1; // 20 dB

/// Greatest absolute value of each millisecond.
std::vector<float> envelopeOf(const HitMaterial& m, std::size_t step) {
    std::vector<float> envelope(m.frames() / step);
    for (const auto& channel : m.sound)
        for (std::size_t i = 0; i < envelope.size(); ++i)
            for (std::size_t n = i * step; n < (i + 1) * step; ++n)
                envelope[i] = std::max(envelope[i], std::abs(channel[n]));
    return envelope;
}

/// Time in which the envelope falls by 20 dB; where another hit comes before, the fall until then tells.
/// 0 when that is too little.
double decayS(const std::vector<float>& envelope, std::size_t peak, float greatest, double stepS,
              double nextS) {
    constexpr double kBridgeS = 0.008; // half a wave of the lowest drum
    constexpr double kEnoughS = 0.03;
    constexpr double kEnoughDb = 3;
    const auto bridge = std::max<std::size_t>(1, static_cast<std::size_t>(kBridgeS / stepS));
    double seenS = 0;
    double fallenDb = 0;
    for (std::size_t e = peak; e + bridge < envelope.size(); ++e) {
        const double t = static_cast<double>(e - peak) * stepS;
        if (static_cast<double>(e + bridge) * stepS > nextS || t > kLongestDecayS)
            break;
        const auto begin = envelope.begin() + static_cast<std::ptrdiff_t>(e);
        const float loudest = *std::max_element(begin, begin + static_cast<std::ptrdiff_t>(bridge));
        seenS = t;
        fallenDb = linearToDb(greatest / std::max(loudest, 1e-9F));
        if (loudest < kFall * greatest)
            return t;
    }
    return seenS >= kEnoughS && fallenDb >= kEnoughDb ? std::min(kLongestDecayS, seenS * 20 / fallenDb) : 0;
}

} // namespace

HitNature measureNature(const HitMaterial& m) {
    HitNature nature;
    const auto step = static_cast<std::size_t>(std::max(1.0, std::round(kEnvelopeS * m.rateHz)));
    const double stepS = static_cast<double>(step) / m.rateHz;
    const auto envelope = envelopeOf(m, step);
    std::vector<double> rises;
    std::vector<double> peaks;
    std::vector<double> decays;
    std::vector<double> gaps;
    for (std::size_t i = 0; i < m.hits.size(); ++i) {
        const MaterialHit& hit = m.hits[i];
        if (!hit.isOwn)
            continue;
        const double nextS = i + 1 < m.hits.size() ? m.hits[i + 1].timeS : m.endS();
        if (i + 1 < m.hits.size() && !m.hits[i + 1].isOwn)
            gaps.push_back(nextS - hit.timeS);
        if (hit.hitClass == HitClass::Ghost || (i > 0 && hit.timeS - m.hits[i - 1].timeS < kQuietBeforeS))
            continue;
        // Rise, frame by frame: first at 10 % and at 90 % of the peak.
        const auto onset = static_cast<std::size_t>(std::max(0.0, (hit.timeS - m.startS) * m.rateHz));
        const auto end = std::min(m.frames(), onset + static_cast<std::size_t>(kPeakWithinS * m.rateHz));
        const auto at = [&](std::size_t n) {
            float x = 0;
            for (const auto& channel : m.sound)
                x = std::max(x, std::abs(channel[n]));
            return x;
        };
        std::size_t peak = onset;
        float greatest = 0;
        for (std::size_t n = onset; n < end; ++n)
            if (at(n) > greatest) {
                greatest = at(n);
                peak = n;
            }
        if (greatest <= 0)
            continue;
        std::size_t low = onset;
        while (low < peak && at(low) < 0.1F * greatest)
            ++low;
        std::size_t high = low;
        while (high < peak && at(high) < 0.9F * greatest)
            ++high;
        rises.push_back(static_cast<double>(high - low) / m.rateHz);
        peaks.push_back(static_cast<double>(peak - onset) / m.rateHz);
        if (const double fall = decayS(envelope, peak / step, greatest, stepS, nextS - m.startS); fall > 0)
            decays.push_back(fall);
    }
    nature.hits = static_cast<int>(rises.size());
    nature.riseMs = 1000 * median(rises);
    nature.peakMs = 1000 * median(peaks);
    nature.decayMs = 1000 * median(decays);
    nature.toSpillMs = 1000 * median(gaps);
    return nature;
}

} // namespace cask::measure
