#include "core/measure/tone/sympathy.h"

#include "core/base/units.h"
#include "core/measure/statistics.h"
#include "core/measure/tone/fine_spectrum.h"
#include "core/measure/tone/own_hits.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace cask::measure {
namespace {

constexpr double kFromS = 0.100;
constexpr double kToS = 0.400;
constexpr double kShortestS = 0.080;
constexpr double kOutDb = 10;    // over what lies around it
constexpr double kSameHz = 0.03; // as a share
constexpr double kLowsHz = 200;
constexpr double kLowsOver = 1.5;   // times its own frequency, where that is more
constexpr double kLeastShare = 0.8; // of the lows: what is less is not what is heard there
constexpr double kSureShare = 0.9;  // where its level against own hits is not known
constexpr int kFewest = 4;
constexpr double kSlowMs = 600;     // spill of a drum that is struck is over sooner
constexpr double kEndlessMs = 6000; // no head rings so long: a tone from elsewhere
constexpr double kLikelyDb = -12;   // of a hum whose level is not known
constexpr double kIgnoredDb = 10;   // hits so much softer, hats for the most part, excite nothing
constexpr double kOwnMs = 1500;     // a drum's own hit has died away by then

double powerBetween(const std::vector<double>& power, double binHz, double fromHz, double toHz) {
    double sum = 0;
    for (auto k = static_cast<std::size_t>(fromHz / binHz);
         k < std::min(power.size(), static_cast<std::size_t>(toHz / binHz) + 1); ++k)
        sum += power[k];
    return sum;
}

} // namespace

Sympathy measureSympathy(const HitMaterial& m, HzRange range) {
    Sympathy found;
    if (m.frames() == 0)
        return found;
    FineSpectrum fine(m.rateHz);
    const double binHz = fine.binHz();
    // What is heard after a hit: as a whole, and in its two halves.
    struct After {
        std::vector<double> power, early, late;
        double halfS = 0;
    };
    const auto listen = [&](const ClearHit& hit) -> std::optional<After> {
        const double length = std::min(hit.lengthS, kToS) - kFromS;
        After after;
        after.halfS = length / 2;
        if (length < kShortestS || !fine.add(m, hit.fromS + kFromS, length, after.power) ||
            !fine.add(m, hit.fromS + kFromS, length / 2, after.early) ||
            !fine.add(m, hit.fromS + kFromS + length / 2, length / 2, after.late))
            return std::nullopt;
        return after;
    };
    std::vector<After> others;
    std::vector<double> sum;
    double shortestS = kToS;
    for (const auto& hit : clearSpill(m, kOwnMs, kIgnoredDb))
        if (auto after = listen(hit)) {
            const double energy = powerBetween(after->power, binHz, 20, 1000) + 1e-30;
            sum.resize(after->power.size(), 0);
            for (std::size_t k = 0; k < sum.size(); ++k)
                sum[k] += after->power[k] / energy;
            shortestS = std::min(shortestS, 2 * after->halfS);
            others.push_back(std::move(*after));
        }
    found.hitsLookedAt = static_cast<int>(others.size());
    if (found.hitsLookedAt < kFewest)
        return {};
    std::vector<double> own;
    for (const double ignoredDb : {200.0, kIgnoredDb}) // a drum that is never alone has the best of its hits
        if (own.empty())
            for (const auto& hit : clearHits(m, ignoredDb))
                if (const auto after = listen(hit))
                    own.push_back(powerToDb(powerBetween(after->power, binHz, 20, 1000)));
    found.isLevelKnown = !own.empty();
    for (const auto& peak : peaksOf(inDb(sum), binHz, 2 / shortestS, range.low, kOutDb / 2)) {
        const double hz = peak.bin * binHz;
        if (hz > range.high)
            continue;
        std::vector<double> levels;
        std::vector<double> shares;
        std::vector<double> decays;
        for (const auto& after : others) {
            // The window spreads a tone by a few bins.
            const double halfHz = std::max(kSameHz * hz, 1 / after.halfS);
            if (!isThere(inDb(after.power), binHz, hz, std::max(kSameHz, halfHz / hz), kOutDb))
                continue;
            const auto around = [&](const std::vector<double>& power) {
                return powerBetween(power, binHz, hz - halfHz, hz + halfHz);
            };
            levels.push_back(powerToDb(around(after.power)));
            const double lows = powerBetween(after.power, binHz, 20, std::max(kLowsHz, kLowsOver * hz));
            shares.push_back(std::min(1.0, around(after.power) / std::max(1e-30, lows)));
            const double fallDb = powerToDb(around(after.early)) - powerToDb(around(after.late));
            decays.push_back(60 * 1000 * after.halfS / std::max(0.5, fallDb));
        }
        const auto hits = static_cast<int>(levels.size());
        if (2 * hits < found.hitsLookedAt || median(decays) < kSlowMs || median(decays) > kEndlessMs ||
            median(shares) < (found.isLevelKnown ? kLeastShare : kSureShare))
            continue;
        found.hz = hz;
        found.hits = hits;
        found.decayMs = median(decays);
        found.levelDb = found.isLevelKnown ? median(levels) - median(own) : kLikelyDb;
        found.shareOfLows = median(shares);
        return found; // the strongest comes first
    }
    return found;
}

} // namespace cask::measure
