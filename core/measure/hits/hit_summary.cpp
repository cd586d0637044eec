#include "core/measure/hits/hit_summary.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

/// Between the sorted values, linear. REQUIRES: some values.
double percentile(std::vector<double> values, double share) {
    std::sort(values.begin(), values.end());
    const double at = share * static_cast<double>(values.size() - 1);
    const auto left = static_cast<std::size_t>(at);
    const auto right = std::min(left + 1, values.size() - 1);
    return std::lerp(values[left], values[right], at - static_cast<double>(left));
}

} // namespace

HitSummary summariseHits(const KitHits& hits, const Tempo& tempo, const Timing& timing,
                         std::span<const int> strokes) {
    HitSummary summary;
    std::vector<double> levels;
    std::vector<double> errors;
    for (const int index : strokes) {
        const auto& stroke = hits.strokes[static_cast<std::size_t>(index)];
        levels.push_back(stroke.levelDb);
        if (tempo.isKnown && stroke.hitClass != HitClass::Flam && stroke.hitClass != HitClass::Roll)
            errors.push_back(timing.errorMs[static_cast<std::size_t>(index)]);
    }
    summary.count = static_cast<int>(levels.size());
    summary.timed = static_cast<int>(errors.size());
    if (!levels.empty()) {
        summary.medianDb = percentile(levels, 0.5);
        summary.rangeDb = percentile(levels, 0.9) - percentile(levels, 0.1);
    }
    if (!errors.empty()) {
        summary.feelMs = percentile(errors, 0.5);
        for (double& e : errors)
            e = std::abs(e - summary.feelMs);
        summary.spreadMs = 1.48 * percentile(errors, 0.5);
    }
    return summary;
}

} // namespace cask::measure
