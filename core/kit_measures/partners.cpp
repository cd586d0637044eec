#include "core/kit_measures/partners.h"

#include "core/measure/statistics.h"

#include <algorithm>
#include <cmath>

namespace cask::kit {
namespace {

using session::Id;

bool hearsAll(Role role) {
    return role == Role::Overhead;
}

} // namespace

measure::SoundReader inputSound(const session::Session& s, Id element, const graph::SourceLookup& sources,
                                int channel) {
    const auto* e = s.element(element);
    const auto silence = [](Frames, std::span<float> out) { std::fill(out.begin(), out.end(), 0.0F); };
    if (e == nullptr || channel >= static_cast<int>(e->channels.size()))
        return silence;
    const auto input = graph::laneInput(*e, channel, sources, s.sampleRateHz);
    if (!input.source)
        return silence;
    const Frames start =
        e->startFrame + static_cast<Frames>(std::llround(e->input.shiftMs * 0.001 * s.sampleRateHz));
    const auto gain = static_cast<float>(input.gain * dbToLinear(e->out.levelDb));
    return [source = input.source, its = input.channel, start, gain](Frames from, std::span<float> out) {
        (void)source->read(its, from - start, out);
        for (float& v : out)
            v *= gain;
    };
}

std::vector<measure::Arrival> clearHits(const HitAnalysis& hits, Id element) {
    std::vector<measure::Arrival> own;
    const int input = hits.inputOf(element);
    for (const auto& h : hits.hits.heard)
        if (h.input == input && h.isOwn && h.stroke >= 0 &&
            hits.hits.strokes[static_cast<std::size_t>(h.stroke)].isAlone)
            own.push_back({h.timeS, h.levelDb, 0});
    return own;
}

bool isNearPair(const session::Session& s, Id first, Id second) {
    const auto role = [&](Id id) { return s.element(id)->role; };
    return (role(first) == Role::KickIn &&
            (role(second) == Role::KickOut || role(second) == Role::SubKick)) ||
           (role(first) == Role::SnareTop && role(second) == Role::SnareBottom);
}

std::vector<std::pair<Id, Id>> partners(const session::Session& s) {
    std::vector<std::pair<Id, Id>> pairs;
    for (const auto& a : s.elements)
        for (const auto& b : s.elements)
            if (isNearPair(s, a->id, b->id))
                pairs.emplace_back(a->id, b->id);
    for (const auto& a : s.elements) {
        const bool isDrum = a->role == Role::KickIn || a->role == Role::SnareTop ||
                            a->role == Role::RackTom || a->role == Role::FloorTom;
        for (const auto& b : s.elements)
            if (isDrum && hearsAll(b->role))
                pairs.emplace_back(a->id, b->id);
    }
    return pairs;
}

measure::Alignment alignPartner(const session::Session& s, const HitAnalysis& hits,
                                const graph::SourceLookup& sources, Id first, Id second) {
    const int input = hits.inputOf(first);
    const int other = hits.inputOf(second);
    if (input < 0 || other < 0)
        return {};
    // Own hits of the first, where no other drum is near; and how much later the second began to hear them.
    const auto own = clearHits(hits, first);
    std::vector<double> laterMs;
    std::vector<double> heardS(hits.hits.strokes.size(), -1);
    for (const auto& h : hits.hits.heard)
        if (h.input == other && h.stroke >= 0)
            heardS[static_cast<std::size_t>(h.stroke)] = h.timeS;
    for (const auto& h : hits.hits.heard) {
        if (h.input != input || !h.isOwn || h.stroke < 0)
            continue;
        const double there = heardS[static_cast<std::size_t>(h.stroke)];
        if (there >= 0 && hits.hits.strokes[static_cast<std::size_t>(h.stroke)].isAlone)
            laterMs.push_back(1000 * (there - h.timeS));
    }
    measure::AlignmentSettings settings;
    constexpr double kReachMs = 1.5;
    if (laterMs.size() >= 3) {
        settings.expectedMs = measure::median(laterMs);
        settings.reachMs = kReachMs;
        settings.mostDelayMs = std::max(settings.mostDelayMs, std::abs(settings.expectedMs) + kReachMs);
    }
    return measure::alignPair(inputSound(s, first, sources), inputSound(s, second, sources), s.sampleRateHz,
                              own, settings);
}

Result<std::vector<advise::PairMeasure>> alignPartners(const session::Session& s, const HitAnalysis& hits,
                                                       const graph::SourceLookup& sources,
                                                       const CancelToken& cancel,
                                                       const ProgressFn& progress) {
    std::vector<advise::PairMeasure> found;
    const auto pairs = partners(s);
    for (const auto& [first, second] : pairs) {
        if (cancel.isCancelled())
            return Error{ErrorCode::Cancelled, "Measuring the pairs was stopped."};
        if (progress)
            progress(static_cast<double>(found.size()) / static_cast<double>(pairs.size()));
        found.push_back(
            {first, second, isNearPair(s, first, second), alignPartner(s, hits, sources, first, second)});
    }
    if (progress)
        progress(1);
    return found;
}

} // namespace cask::kit
