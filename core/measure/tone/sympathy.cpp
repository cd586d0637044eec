#include "core/measure/tone/sympathy.h"

#include "core/base/units.h"
#include "core/measure/statistics.h"
#include "core/measure/tone/fine_spectrum.h"
#include "core/measure/tone/own_hits.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kFromS = 0.100;
constexpr double kToS = 0.400;
constexpr double kShortestS = 0.080;
constexpr double kOutDb = 10;    // over what lies around it
constexpr double kSameHz = 0.03; // as a share
constexpr double kLowsHz = 200;
constexpr int kFewest = 4;
constexpr double kIgnoredDb = 10; // hits so much softer, hats for the most part, excite nothing
constexpr double kOwnMs = 1500;   // a drum's own hit has died away by then

double powerBetween(const std::vector<double>& power, double binHz, double fromHz, double toHz) {
    double sum = 0;
    for (auto k = static_cast<std::size_t>(fromHz / binHz);
         k < std::min(power.size(), static_cast<std::size_t>(toHz / binHz) + 1); ++k)
        sum += power[k];
    return sum;
}

} // namespace

Sympathy measureSympathy(const HitMaterial& m, double hz) {
    Sympathy found;
    if (hz <= 0 || m.frames() == 0)
        return found;
    FineSpectrum fine(m.rateHz);
    const double binHz = fine.binHz();
    // The window spreads a tone by a few bins.
    const double halfHz = std::max(kSameHz * hz, 2 / (kToS - kFromS));
    const auto noteOf = [&](const ClearHit& hit, std::vector<double>& power) {
        const double length = std::min(hit.lengthS, kToS) - kFromS;
        return length >= kShortestS && fine.add(m, hit.fromS + kFromS, length, power);
    };
    std::vector<double> own;
    for (const auto& hit : clearHits(m)) {
        std::vector<double> power;
        if (noteOf(hit, power))
            own.push_back(powerToDb(powerBetween(power, binHz, hz - halfHz, hz + halfHz)));
    }
    std::vector<double> levels;
    std::vector<double> shares;
    for (const auto& hit : clearSpill(m, kOwnMs, kIgnoredDb)) {
        std::vector<double> power;
        if (!noteOf(hit, power))
            continue;
        ++found.hitsLookedAt;
        if (!isThere(inDb(power), binHz, hz, std::max(kSameHz, halfHz / hz), kOutDb))
            continue;
        ++found.hits;
        const double note = powerBetween(power, binHz, hz - halfHz, hz + halfHz);
        levels.push_back(powerToDb(note));
        shares.push_back(std::min(1.0, note / std::max(1e-30, powerBetween(power, binHz, 20, kLowsHz))));
    }
    if (found.hitsLookedAt < kFewest || own.empty() || levels.empty())
        return {};
    found.levelDb = median(levels) - median(own);
    found.shareOfLows = hz < kLowsHz ? median(shares) : 0;
    return found;
}

} // namespace cask::measure
