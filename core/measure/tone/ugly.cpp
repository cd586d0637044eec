#include "core/measure/tone/ugly.h"

#include "core/measure/statistics.h"
#include "core/measure/tone/loudness_contour.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kLowestUglyHz = 150;
constexpr double kHighestUglyHz = 8000;
constexpr double kOutDb = 4;
constexpr double kSameHz = 0.05; // as a share

double aroundDb(const Spectrum& s, int point) {
    constexpr int kHalf = kPointsPerOctave / 2;
    const int last = static_cast<int>(s.bandDb.size()) - 1;
    return median(std::vector<float>(s.bandDb.begin() + std::clamp(point - kHalf, 0, last),
                                     s.bandDb.begin() + std::clamp(point + kHalf, 0, last) + 1));
}

} // namespace

std::vector<UglyPlace> rankUgly(const Spectrum& own, const Partials& partials, std::size_t most) {
    std::vector<UglyPlace> places;
    for (int i = 1; i + 1 < static_cast<int>(own.bandDb.size()); ++i) {
        const auto at = static_cast<std::size_t>(i);
        double hz = Spectrum::pointHz(i);
        if (hz < kLowestUglyHz || hz > kHighestUglyHz || own.bandDb[at] <= own.bandDb[at - 1] ||
            own.bandDb[at] < own.bandDb[at + 1] || std::abs(hz / partials.fundamental.hz - 1) < kSameHz)
            continue;
        UglyPlace place;
        place.excessDb = own.bandDb[at] - aroundDb(own, i);
        if (place.excessDb < kOutDb)
            continue;
        double longerDb = 0;
        for (const auto& ring : partials.rings)
            if (std::abs(hz / ring.hz - 1) < kSameHz) {
                place.isRing = true;
                hz = ring.hz;
                longerDb = 20 * std::log10(ring.decayMs / ring.aroundMs);
            }
        place.hz = hz;
        place.score = place.excessDb + earWeightDb(hz) / 2 + longerDb;
        places.push_back(place);
    }
    std::sort(places.begin(), places.end(),
              [](const UglyPlace& a, const UglyPlace& b) { return a.score > b.score; });
    places.resize(std::min(most, places.size()));
    return places;
}

} // namespace cask::measure
