#include "core/kit_measures/same_audio.h"

#include "core/kit_measures/partners.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <optional>

namespace cask::kit {
namespace {

using measure::kTrailBands;
using session::Id;

constexpr std::size_t kCoarse = 10;   // steps of the trails in one of ours: 10 ms
constexpr int kReach = 50;            // half a second either way
constexpr std::size_t kLooked = 400;  // loudest places
constexpr double kMostSpread = 6;     // half decibels: 3 dB, as lossy coding leaves
constexpr double kSameSound = 0.95;   // coherence; two microphones have less than 0.5 ...
constexpr double kSamePartner = 0.98; // ... but for those of one drum

/// One channel of an element at 10 ms steps of session time.
struct Listener {
    Id element = session::kNoId;
    int channel = 0;
    const measure::FileTrails* trails = nullptr;
    long firstStep = 0;        ///< session time of the first step
    std::vector<float> levels; ///< [step * kTrailBands + band], half decibels
    std::vector<std::size_t> loudest;
    [[nodiscard]] long steps() const { return static_cast<long>(levels.size() / kTrailBands); }
};

Listener listenerOf(const session::Session& s, const session::Element& e, int channel,
                    const measure::FileTrails& trails, int fileChannel) {
    Listener l{e.id, channel, &trails, 0, {}, {}};
    const double startS = framesToSeconds(e.startFrame, s.sampleRateHz) + 0.001 * e.input.shiftMs;
    l.firstStep = std::lround(startS / (measure::kTrailStepS * kCoarse));
    const auto& trail = trails.channels[static_cast<std::size_t>(fileChannel)];
    const std::size_t steps = trail.steps() / kCoarse;
    l.levels.assign(steps * kTrailBands, 0.0F);
    for (std::size_t i = 0; i < steps * kCoarse; ++i)
        for (std::size_t b = 0; b < kTrailBands; ++b)
            l.levels[i / kCoarse * kTrailBands + b] +=
                static_cast<float>(trail.bands[i * kTrailBands + b]) / static_cast<float>(kCoarse);
    std::vector<float> peaks(steps);
    for (std::size_t i = 0; i < steps; ++i)
        peaks[i] = *std::max_element(l.levels.begin() + static_cast<std::ptrdiff_t>(i * kTrailBands),
                                     l.levels.begin() + static_cast<std::ptrdiff_t>((i + 1) * kTrailBands));
    l.loudest.resize(steps);
    std::iota(l.loudest.begin(), l.loudest.end(), 0U);
    const auto most = static_cast<std::ptrdiff_t>(std::min(steps, kLooked));
    std::partial_sort(l.loudest.begin(), l.loudest.begin() + most, l.loudest.end(),
                      [&](std::size_t a, std::size_t b) { return peaks[a] > peaks[b]; });
    l.loudest.resize(static_cast<std::size_t>(most));
    return l;
}

/// How much the level difference varies over places and bands at a lag; nothing when too little overlaps.
std::optional<double> spreadAt(const Listener& a, const Listener& b, long lag, double limit) {
    constexpr float kHeard = 60; // 30 dB above the bottom of the trail's scale
    double sum = 0;
    double squares = 0;
    int count = 0;
    std::size_t looked = 0;
    for (const std::size_t i : a.loudest) {
        const long j = static_cast<long>(i) + a.firstStep + lag - b.firstStep;
        if (j < 0 || j >= b.steps())
            continue;
        const float* x = &a.levels[i * kTrailBands];
        const float* y = &b.levels[static_cast<std::size_t>(j) * kTrailBands];
        for (int band = 0; band < kTrailBands; ++band)
            if (x[band] > kHeard && y[band] > kHeard) {
                const double d = y[band] - x[band];
                sum += d;
                squares += d * d;
                ++count;
            }
        // Most pairs are far apart: that shows soon.
        if (++looked == kLooked / 8 && count > 0 &&
            squares / count - sum * sum / count / count > 9 * limit * limit)
            return std::nullopt;
    }
    if (looked < kLooked / 8 || count < static_cast<int>(looked))
        return std::nullopt;
    const double mean = sum / count;
    return std::sqrt(std::max(0.0, squares / count - mean * mean));
}

/// Lag in seconds at which the two may be the same.
std::optional<double> likelyLag(const Listener& a, const Listener& b) {
    double best = kMostSpread;
    std::optional<double> lagS;
    for (int lag = -kReach; lag <= kReach; ++lag)
        if (const auto spread = spreadAt(a, b, lag, kMostSpread); spread && *spread < best) {
            best = *spread;
            lagS = lag * static_cast<double>(kCoarse) * measure::kTrailStepS;
        }
    return lagS;
}

bool areOfOneDrum(const session::Session& s, Id a, Id b) {
    return isNearPair(s, a, b) || isNearPair(s, b, a);
}

} // namespace

std::vector<advise::SameAudio> findSameAudio(const session::Session& s, const TrailLookup& trails,
                                             const graph::SourceLookup& sources, const CancelToken& cancel) {
    std::vector<Listener> all;
    std::vector<std::shared_ptr<const measure::FileTrails>> held;
    for (const auto& e : s.elements)
        for (std::size_t c = 0; c < e->channels.size(); ++c) {
            const auto ref = e->channels[c];
            const auto found = trails(ref.file);
            if (!found || ref.channel >= static_cast<int>(found->channels.size()) || found->arrivals.empty())
                continue;
            held.push_back(found);
            all.push_back(listenerOf(s, *e, static_cast<int>(c), *found, ref.channel));
        }
    std::vector<advise::SameAudio> sames;
    for (std::size_t i = 0; i < all.size() && !cancel.isCancelled(); ++i)
        for (std::size_t j = i + 1; j < all.size() && !cancel.isCancelled(); ++j) {
            const Listener& a = all[i];
            const Listener& b = all[j];
            const bool isTold = std::any_of(sames.begin(), sames.end(), [&](const auto& known) {
                return known.first == a.element && known.second == b.element;
            });
            const auto lagS = isTold ? std::nullopt : likelyLag(a, b);
            if (!lagS)
                continue;
            // Hits of the first in session time.
            std::vector<measure::Arrival> hits = a.trails->arrivals;
            const auto& e = *s.element(a.element);
            for (auto& hit : hits)
                hit.timeS += framesToSeconds(e.startFrame, s.sampleRateHz) + 0.001 * e.input.shiftMs;
            // The lag is taken out first, so that both windows hold the same stretch.
            const Frames lag = std::llround(*lagS * s.sampleRateHz);
            const auto first = inputSound(s, a.element, sources, a.channel);
            const auto second = [later = inputSound(s, b.element, sources, b.channel),
                                 lag](Frames from, std::span<float> out) { later(from + lag, out); };
            const auto pair = measure::alignPair(first, second, s.sampleRateHz, hits);
            if (pair.coherence >= (areOfOneDrum(s, a.element, b.element) ? kSamePartner : kSameSound))
                sames.push_back(
                    {a.element, b.element, pair.delayMs + 1000 * *lagS, pair.levelDb, pair.isInverted});
        }
    return sames;
}

} // namespace cask::kit
