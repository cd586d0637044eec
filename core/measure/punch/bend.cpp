#include "core/measure/punch/bend.h"

#include "core/base/units.h"
#include "core/measure/statistics.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {

double overtonesDb(const std::vector<float>& gains, double hz, double rateHz, std::size_t from,
                   std::size_t to) {
    constexpr double kFewestPeriods = 4;
    const auto half = static_cast<std::size_t>(std::lround(rateHz / hz / 2)); // of a period
    to = std::min(to, gains.size());
    if (half == 0 || to < from + static_cast<std::size_t>(kFewestPeriods * rateHz / hz))
        return kSilenceDb;
    // Sums from the start on, so that the mean of any period is a difference of two.
    std::vector<double> sums(to - from + 1, 0.0);
    for (std::size_t n = from; n < to; ++n)
        sums[n - from + 1] = sums[n - from] + static_cast<double>(gains[n]);
    double square = 0;
    std::size_t count = 0;
    for (std::size_t n = half; n + half < to - from; ++n) {
        // The two ends count by half, so that a whole period is in it.
        const double ends =
            static_cast<double>(gains[from + n - half]) + static_cast<double>(gains[from + n + half]);
        const double mean =
            (sums[n + half] - sums[n - half + 1] + ends / 2) / (2.0 * static_cast<double>(half));
        if (mean <= 0)
            continue;
        const double moved = static_cast<double>(gains[from + n]) / mean - 1;
        square += moved * moved;
        ++count;
    }
    return count == 0 || square == 0 ? kSilenceDb : powerToDb(square / static_cast<double>(count) / 2);
}

double bentDb(const HitMaterial& material, const dsp::CompressorSettings& settings, double fundamentalHz,
              const CancelToken& cancel) {
    constexpr double kFromS = 0.010;
    constexpr double kToS = 0.150;
    if (fundamentalHz <= 0)
        return kSilenceDb;
    const auto gains = gainsOf(material, settings, cancel);
    std::vector<double> all;
    const MaterialHit* last = nullptr;
    const auto take = [&](double nextS) {
        if (last == nullptr || last->hitClass == HitClass::Ghost || last->timeS + kFromS < material.startS)
            return;
        const auto frame = [&](double s) {
            return static_cast<std::size_t>(std::max(0.0, (s - material.startS) * material.rateHz));
        };
        const double db = overtonesDb(gains, fundamentalHz, material.rateHz, frame(last->timeS + kFromS),
                                      frame(std::min(nextS, last->timeS + kToS)));
        if (db > kSilenceDb)
            all.push_back(db);
    };
    for (const auto& hit : material.hits) {
        if (!hit.isOwn)
            continue;
        take(hit.timeS);
        last = &hit;
    }
    take(material.endS());
    return all.empty() || cancel.isCancelled() ? kSilenceDb : median(std::move(all));
}

} // namespace cask::measure
