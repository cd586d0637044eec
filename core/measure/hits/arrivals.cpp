#include "core/measure/hits/arrivals.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

/// Steps looked at before and after, by band.
constexpr std::array<std::size_t, kTrailBands> kBefore = {18, 12, 8, 6, 6, 6, 6, 6};
constexpr std::array<std::size_t, kTrailBands> kAfter = {8, 6, 4, 3, 3, 3, 3, 3};
constexpr float kAboveFloorDb = 6;
constexpr float kUncountedDb = 2;
constexpr float kMostDb = 15;
constexpr float kLeastRise = 9;
constexpr std::size_t kApart = 6;

/// Greatest value of x[i .. i + n) at each i; the end is cut short.
template <class T> std::vector<T> maxAhead(const std::vector<T>& x, std::size_t n) {
    // Maxima over twice the width from two of half of it: a few passes that run side by side.
    std::vector<T> out = x;
    std::vector<T> wider = x;
    for (std::size_t width = 1; width < n;) {
        const std::size_t step = std::min(width, n - width);
        for (std::size_t i = 0; i + step < out.size(); ++i)
            wider[i] = std::max(out[i], out[i + step]);
        std::copy(out.end() - static_cast<std::ptrdiff_t>(std::min(step, out.size())), out.end(),
                  wider.end() - static_cast<std::ptrdiff_t>(std::min(step, out.size())));
        out.swap(wider);
        width += step;
    }
    return out;
}

/// A pair of two files may be joined by hand though one is longer.
std::size_t commonSteps(std::span<const BandTrail* const> channels) {
    std::size_t steps = channels.front()->steps();
    for (const auto* trail : channels)
        steps = std::min(steps, trail->steps());
    return steps;
}

/// Levels of the loudest channel, every `stride`-th from `first` on.
std::vector<LevelByte> loudestOf(std::span<const BandTrail* const> channels,
                                 std::vector<LevelByte> BandTrail::*which, std::size_t count,
                                 std::size_t first = 0, std::size_t stride = 1) {
    std::vector<LevelByte> out(count);
    for (const auto* trail : channels) {
        const LevelByte* from = (trail->*which).data() + first;
        for (std::size_t k = 0; k < count; ++k)
            out[k] = std::max(out[k], from[k * stride]);
    }
    return out;
}

std::vector<float> riseOf(std::span<const BandTrail* const> channels) {
    const std::size_t steps = commonSteps(channels);
    std::vector<float> rise(steps);
    std::array<float, kTrailBands> floors{};
    floors.fill(-120);
    for (const auto* trail : channels) {
        const auto own = bandFloors(*trail);
        for (std::size_t b = 0; b < kTrailBands; ++b)
            floors[b] = std::max(floors[b], own[b]);
    }
    for (std::size_t b = 0; b < kTrailBands; ++b) {
        const float floor = floors[b] + kAboveFloorDb;
        // What is under the floor counts as the floor: the loudest of a stretch is raised, not every level.
        const auto aboveFloor = [floor](LevelByte level) { return std::max(dbOfLevelByte(level), floor); };
        const auto level = loudestOf(channels, &BandTrail::bands, steps, b, kTrailBands);
        const auto before = maxAhead(level, kBefore[b]);
        const auto after = maxAhead(level, kAfter[b]);
        const auto riseAbove = [&](std::size_t n, float held) {
            return std::clamp(aboveFloor(after[n]) - held - kUncountedDb, 0.0F, kMostDb);
        };
        // The step just before belongs to neither: an onset may fall into it.
        const std::size_t full = std::min(kBefore[b] + 1, steps);
        for (std::size_t n = 0; n < full; ++n)
            rise[n] +=
                riseAbove(n, n >= 2 ? aboveFloor(*std::max_element(
                                          level.begin(), level.begin() + static_cast<std::ptrdiff_t>(n) - 1))
                                    : floor);
        for (std::size_t n = full; n < steps; ++n)
            rise[n] += riseAbove(n, aboveFloor(before[n - full]));
    }
    return rise;
}

struct Placed {
    std::size_t fineStep = 0;
    float contrastDb = 0;
    float peakDb = 0;
};

/// Where the envelope first comes within 20 dB of the peak that follows, or, where it never was lower, clear
/// of what sounded before.
Placed place(const std::vector<LevelByte>& envelope, std::size_t start, std::size_t end) {
    constexpr std::size_t kPre = 6 * kFineStepsPerStep;
    const auto at = [&](std::size_t k) {
        return envelope.begin() + static_cast<std::ptrdiff_t>(std::min(k, envelope.size()));
    };
    const float peak = dbOfLevelByte(*std::max_element(at(start), at(end)));
    const std::size_t preFrom = start > kPre ? start - kPre : 0;
    const float pre = start > preFrom ? dbOfLevelByte(*std::max_element(at(preFrom), at(start))) : -120.0F;
    const float threshold = std::max(peak - 20, std::min(pre + 3, peak));
    std::size_t k = start;
    while (k + 1 < end && k + 1 < envelope.size() && dbOfLevelByte(envelope[k]) < threshold)
        ++k;
    return {k, peak - pre, peak};
}

} // namespace

std::array<float, kTrailBands> bandFloors(const BandTrail& trail) {
    constexpr std::size_t kStretch = 50;
    std::array<float, kTrailBands> floors{};
    floors.fill(-120);
    const std::size_t stretches = trail.steps() / kStretch;
    if (stretches == 0)
        return floors;
    std::array<std::vector<float>, kTrailBands> levels;
    for (auto& ofBand : levels)
        ofBand.resize(stretches);
    for (std::size_t s = 0; s < stretches; ++s) {
        std::array<float, kTrailBands> sums{};
        const LevelByte* step = trail.bands.data() + s * kStretch * kTrailBands;
        for (std::size_t n = 0; n < kStretch; ++n, step += kTrailBands)
            for (std::size_t b = 0; b < kTrailBands; ++b)
                sums[b] += powerOfLevelByte(step[b]);
        for (std::size_t b = 0; b < kTrailBands; ++b)
            levels[b][s] = sums[b] / kStretch;
    }
    for (std::size_t b = 0; b < kTrailBands; ++b) {
        const auto tenth = levels[b].begin() + static_cast<std::ptrdiff_t>(stretches / 10);
        std::nth_element(levels[b].begin(), tenth, levels[b].end());
        floors[b] = std::max(-120.0F, static_cast<float>(powerToDb(*tenth)));
    }
    return floors;
}

std::vector<Arrival> findArrivals(std::span<const BandTrail* const> channels) {
    std::vector<Arrival> arrivals;
    if (channels.empty() || commonSteps(channels) < 20)
        return arrivals;
    const auto rise = riseOf(channels);
    const std::size_t fineSteps = rise.size() * kFineStepsPerStep;
    const auto wide = loudestOf(channels, &BandTrail::fine, fineSteps);
    const auto high = loudestOf(channels, &BandTrail::fineHigh, fineSteps);
    const auto around = maxAhead(rise, 2 * kApart + 1);
    const float greatest = dbOfLevelByte(*std::max_element(wide.begin(), wide.end()));
    std::vector<std::size_t> places;
    for (std::size_t n = 1; n < rise.size(); ++n) {
        if (rise[n] < kLeastRise || rise[n] < around[n > kApart ? n - kApart : 0])
            continue;
        if (!places.empty() && n - places.back() < kApart) {
            if (rise[n] > rise[places.back()])
                places.back() = n;
            continue;
        }
        places.push_back(n);
    }
    for (std::size_t i = 0; i < places.size(); ++i) {
        const std::size_t n = places[i];
        constexpr std::size_t kBack = 3;
        const std::size_t start = (n > kBack ? n - kBack : 0) * kFineStepsPerStep;
        const std::size_t next = i + 1 < places.size() ? places[i + 1] : n + 20;
        const std::size_t end = std::max(n + 4, std::min(n + 20, next)) * kFineStepsPerStep;
        const Placed w = place(wide, start, end);
        const Placed h = place(high, start, end);
        if (w.peakDb < greatest - 60 || w.peakDb < -100)
            continue;
        const Placed& best = w.contrastDb >= 20 || w.contrastDb >= h.contrastDb ? w : h;
        const Arrival arrival{(static_cast<double>(best.fineStep) + 0.5) * kFineStepS, w.peakDb, rise[n]};
        // Two rises of one onset: the envelope had begun before the second.
        if (!arrivals.empty() && arrival.timeS - arrivals.back().timeS < kApart * kTrailStepS) {
            auto& last = arrivals.back();
            last = {std::min(last.timeS, arrival.timeS), std::max(last.levelDb, arrival.levelDb),
                    std::max(last.riseDb, arrival.riseDb)};
            continue;
        }
        arrivals.push_back(arrival);
    }
    return arrivals;
}

} // namespace cask::measure
