#include "core/measure/hits/own_ear.h"

#include "core/measure/hits/shipped_ears.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

/// Power that a moment adds in the channels that stand at the drum: the size of a stroke.
float sizeOf(const Patterns& patterns, int drum, const Moment& moment) {
    float sum = 0;
    for (std::size_t c = 0; c < patterns.channels().size(); ++c)
        for (std::size_t b = 0; patterns.isOwn(drum, c) && b < kTrailBands; ++b)
            sum += std::max(0.0F, moment.heard[c * kTrailBands + b] - moment.background[c * kTrailBands + b]);
    return sum;
}

} // namespace

void hearOwn(std::span<const StrokeNet> nets, const OwnLooks& looks, const Patterns& patterns,
             const std::vector<Moment>& moments, std::vector<std::vector<Stroke>>& strokes) {
    constexpr float kLeastShare = 0.5F;
    constexpr float kMostShare = 0.9999F;
    constexpr float kEvidence = 14; // see confidenceOf: a stroke's confidence is then its share
    const auto shares = averageShares(nets, looks.rows);
    for (std::size_t i = 0; i < shares.size(); ++i) {
        const auto& candidate = looks.candidates[i];
        auto& here = strokes[candidate.moment];
        const auto old = std::find_if(here.begin(), here.end(),
                                      [&](const Stroke& s) { return s.drum == candidate.drum; });
        if (shares[i] < kLeastShare) {
            if (old != here.end())
                here.erase(old);
            continue;
        }
        const float evidence = -kEvidence * std::log(1 - std::min(shares[i], kMostShare));
        if (old != here.end())
            old->evidence = evidence;
        else
            here.push_back({candidate.drum, sizeOf(patterns, candidate.drum, moments[candidate.moment]), evidence});
    }
}

const std::vector<StrokeNet>& shippedOwnEar() {
    static const std::vector<StrokeNet> nets = [] {
        auto parsed = parseNets("own-ear 1", shippedOwnEarText());
        const bool fits = parsed && parsed->front().inputs() == kOwnLook && parsed->front().outputs() == 1;
        return fits ? std::move(*parsed) : std::vector<StrokeNet>{};
    }();
    return nets;
}

} // namespace cask::measure
