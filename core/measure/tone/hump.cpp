#include "core/measure/tone/hump.h"

#include "core/measure/statistics.h"
#include "core/measure/tone/loudness_contour.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kBoxAside = 1.7;
constexpr double kHarshAside = 2.6;
constexpr double kRank = 0.4;
constexpr int kHalfHere = kPointsPerOctave / 4;
constexpr int kHalfAside = 2 * kPointsPerOctave / 5;

/// Level between the partials around a point.
double floorAt(const Spectrum& s, int point, int half) {
    const int last = static_cast<int>(s.bandDb.size()) - 1;
    const int from = std::clamp(point - half, 0, last);
    const int to = std::clamp(point + half, 0, last);
    std::vector<float> around(s.bandDb.begin() + from, s.bandDb.begin() + to + 1);
    return quantile(around, kRank);
}

double excessAt(const Spectrum& s, int point, double ratio) {
    const int aside = static_cast<int>(std::lround(std::log2(ratio) * kPointsPerOctave));
    const int half = std::min(kHalfAside, aside / 2);
    return floorAt(s, point, kHalfHere) -
           0.5 * (floorAt(s, point - aside, half) + floorAt(s, point + aside, half));
}

Hump greatest(const Spectrum& s, double fromHz, double toHz, double aside) {
    Hump hump;
    if (s.bandDb.empty())
        return hump;
    constexpr int kSixth = kPointsPerOctave / 6;
    const int points = static_cast<int>(s.bandDb.size());
    int best = -1;
    for (int i = 0; i < static_cast<int>(s.bandDb.size()); ++i) {
        const double hz = Spectrum::pointHz(i);
        if (hz < fromHz || hz > toHz)
            continue;
        const double excess = excessAt(s, i, aside);
        const bool isTop = i >= kSixth && i + kSixth < points && excess > excessAt(s, i - kSixth, aside) &&
                           excess > excessAt(s, i + kSixth, aside);
        // A top goes before the slope of something that lies outside.
        if (best < 0 || isTop > hump.isTop || (isTop == hump.isTop && excess > hump.excessDb)) {
            best = i;
            hump.excessDb = excess;
            hump.isTop = isTop;
        }
    }
    hump.hz = Spectrum::pointHz(best);
    int low = best;
    int high = best;
    const double half = hump.excessDb / 2;
    while (low > 0 && excessAt(s, low - 1, aside) > half)
        --low;
    while (high + 1 < static_cast<int>(s.bandDb.size()) && excessAt(s, high + 1, aside) > half)
        ++high;
    hump.octaves = static_cast<double>(high - low + 1) / kPointsPerOctave;
    return hump;
}

} // namespace

Spectrum filtered(const Spectrum& spectrum, const std::function<double(double hz)>& responseDb) {
    Spectrum out = spectrum;
    for (int i = 0; i < static_cast<int>(out.bandDb.size()); ++i)
        out.bandDb[static_cast<std::size_t>(i)] += static_cast<float>(responseDb(Spectrum::pointHz(i)));
    return out;
}

Hump measureBoxiness(const Spectrum& own) {
    return greatest(own, kBoxFromHz, kBoxToHz, kBoxAside);
}

Hump measureHarshness(const Spectrum& own) {
    return greatest(filtered(own, earWeightDb), kHarshFromHz, kHarshToHz, kHarshAside);
}

} // namespace cask::measure
