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

std::vector<float> bothOwnLooks(const OwnLooks& looks, std::span<const float> shares, const KitModel& kit,
                                const std::vector<Moment>& moments) {
    const auto others = ownSecondLook(looks, shares, kit, moments);
    std::vector<float> both;
    both.reserve(looks.candidates.size() * (kOwnLook + kOwnSecondLook));
    for (std::size_t i = 0; i < looks.candidates.size(); ++i) {
        const auto a = std::span(looks.rows).subspan(i * kOwnLook, kOwnLook);
        const auto b = std::span(others).subspan(i * kOwnSecondLook, kOwnSecondLook);
        both.insert(both.end(), a.begin(), a.end());
        both.insert(both.end(), b.begin(), b.end());
    }
    return both;
}

std::vector<float> OwnEar::shares(const OwnLooks& looks, const KitModel& kit,
                                  const std::vector<Moment>& moments, const ParallelFor& parallel) const {
    if (second.empty() || looks.candidates.empty())
        return {};
    const auto heardFirst = averageShares(first, looks.rows, parallel);
    return averageShares(second, bothOwnLooks(looks, heardFirst, kit, moments), parallel);
}

void hearOwn(const OwnEar& ear, const OwnLooks& looks, const Patterns& patterns,
             const std::vector<Moment>& moments, std::vector<std::vector<Stroke>>& strokes,
             const ParallelFor& parallel) {
    // Strange takes are heard less surely than lessons: at even odds more would be missed than false.
    constexpr float kLeastShare = 0.3F;
    constexpr float kMostConfidence = 0.9999F;
    constexpr float kEvidence = 14; // makes what is reported as confidence (see kit_hits) this one
    const auto shares = ear.shares(looks, patterns.kit(), moments, parallel);
    std::vector<int> leading(patterns.kit().drums.size(),
                             -1); // first microphone of each drum that hears anything
    for (const auto& candidate : looks.candidates) {
        int& input = leading[static_cast<std::size_t>(candidate.drum)];
        const auto& own = patterns.kit().drums[static_cast<std::size_t>(candidate.drum)].inputs;
        for (const int i : own)
            if (i == candidate.input || i == input) {
                input = i;
                break;
            }
    }
    for (std::size_t i = 0; i < shares.size(); ++i) {
        const auto& candidate = looks.candidates[i];
        auto& here = strokes[candidate.moment];
        const auto old =
            std::find_if(here.begin(), here.end(), [&](const Stroke& s) { return s.drum == candidate.drum; });
        if (shares[i] < kLeastShare) {
            if (old != here.end())
                here.erase(old);
            continue;
        }
        // The odds against those at which it is just believed.
        const float confidence =
            shares[i] * (1 - kLeastShare) / (shares[i] * (1 - kLeastShare) + (1 - shares[i]) * kLeastShare);
        const float evidence = -kEvidence * std::log(1 - std::min(confidence, kMostConfidence));
        if (old != here.end())
            old->evidence = evidence;
        else if (candidate.input == leading[static_cast<std::size_t>(candidate.drum)])
            here.push_back(
                {candidate.drum, sizeOf(patterns, candidate.drum, moments[candidate.moment]), evidence});
    }
}

const OwnEar& shippedOwnEar() {
    static const OwnEar ear = [] {
        OwnEar pairs;
        auto nets = parseNets("own-ear 1", shippedOwnEarText());
        for (std::size_t n = 0; nets && n + 1 < nets->size(); n += 2)
            if ((*nets)[n].inputs() == kOwnLook && (*nets)[n + 1].inputs() == kOwnLook + kOwnSecondLook) {
                pairs.first.push_back(std::move((*nets)[n]));
                pairs.second.push_back(std::move((*nets)[n + 1]));
            }
        return pairs;
    }();
    return ear;
}

} // namespace cask::measure
