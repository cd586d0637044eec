#include "core/kit_measures/partners.h"

#include "core/measure/statistics.h"
#include "core/measure/tone/partials.h"

#include <algorithm>
#include <cmath>

namespace cask::kit {
using session::Id;

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
        e->startFrame +
        static_cast<Frames>(std::llround(session::shiftMsOf(e->input, channel) * 0.001 * s.sampleRateHz));
    const auto gain = static_cast<float>(input.gain * dbToLinear(e->out.levelDb));
    return [source = input.source, its = input.channel, start, gain](Frames from, std::span<float> out) {
        (void)source->read(its, from - start, out);
        for (float& v : out)
            v *= gain;
    };
}

std::vector<measure::Arrival> clearHits(const HitAnalysis& hits, Id element) {
    constexpr std::size_t kEnough = 4;
    std::vector<measure::Arrival> alone;
    std::vector<measure::Arrival> all;
    const int input = hits.inputOf(element);
    for (const auto& h : hits.hits.heard)
        if (h.input == input && h.isOwn && h.stroke >= 0) {
            all.push_back({h.timeS, h.levelDb, 0});
            if (hits.hits.strokes[static_cast<std::size_t>(h.stroke)].isAlone)
                alone.push_back(all.back());
        }
    return alone.size() >= kEnough ? alone : all;
}

namespace {

/// Microphones of one drum by what they are: 0 kick, 1 snare, -1 anything else; and their order there.
struct Place {
    int family = -1;
    int order = 0;
};
Place placeOf(Role role) {
    switch (role) {
    case Role::KickIn:
        return {0, 0};
    case Role::KickOut:
        return {0, 1};
    case Role::SubKick:
        return {0, 2};
    case Role::SnareTop:
        return {1, 0};
    case Role::SnareBottom:
        return {1, 1};
    default:
        return {};
    }
}

/// The first of the microphones that hear an element's drum; itself where it is alone.
Id leaderOf(const session::Session& s, Id element) {
    const Place own = placeOf(s.element(element)->role);
    if (own.family < 0)
        return element;
    const session::Element* best = nullptr;
    for (const auto& e : s.elements)
        if (const Place place = placeOf(e->role);
            place.family == own.family && (best == nullptr || place.order < placeOf(best->role).order))
            best = &*e;
    return best->id;
}

} // namespace

bool isNearPair(const session::Session& s, Id first, Id second) {
    return first != second && leaderOf(s, second) == first;
}

std::vector<std::pair<Id, Id>> partners(const session::Session& s) {
    std::vector<std::pair<Id, Id>> pairs;
    for (const auto& e : s.elements)
        if (const Id leader = leaderOf(s, e->id); leader != e->id)
            pairs.emplace_back(leader, e->id);
    for (const auto& a : s.elements) {
        const bool isDrum =
            placeOf(a->role).family >= 0 || a->role == Role::RackTom || a->role == Role::FloorTom;
        for (const auto& b : s.elements)
            if (isDrum && leaderOf(s, a->id) == a->id && b->role == Role::Overhead)
                pairs.emplace_back(a->id, b->id);
    }
    return pairs;
}

measure::AlignmentSettings noteOf(const session::Session& s, Id element) {
    const auto range = measure::fundamentalRange(s.element(element)->role);
    measure::AlignmentSettings settings;
    settings.noteFromHz = range.low;
    settings.noteToHz = range.high;
    return settings;
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
    const auto align = [&](const measure::AlignmentSettings& settings) {
        return measure::alignPair(inputSound(s, first, sources), inputSound(s, second, sources),
                                  s.sampleRateHz, own, settings);
    };
    const auto free = noteOf(s, first);
    if (laterMs.size() < 3)
        return align(free);
    // Onsets guide where a low drum alone leaves it open; where they mislead, the sounds agree on nothing.
    constexpr double kReachMs = 1.5;
    constexpr double kAgrees = 0.5;
    auto guided = free;
    guided.expectedMs = measure::median(laterMs);
    guided.reachMs = kReachMs;
    guided.mostDelayMs = std::max(guided.mostDelayMs, std::abs(guided.expectedMs) + kReachMs);
    const auto found = align(guided);
    if (found.confidence >= kAgrees)
        return found;
    const auto anywhere = align(free);
    return anywhere.confidence >= std::max(kAgrees, found.confidence) ? anywhere : found;
}

std::vector<advise::SideMeasure> measureSides(const session::Session& s, const HitAnalysis& hits,
                                              const graph::SourceLookup& sources, const CancelToken& cancel) {
    constexpr double kSure = 0.25;
    constexpr int kEnoughHits = 3;
    std::vector<advise::SideMeasure> found;
    for (const auto& e : s.elements) {
        const bool hearsAll = e->role == Role::Overhead || e->role == Role::Room;
        const int input = hits.inputOf(e->id);
        if (!e->isStereo() || !hearsAll || input < 0 || cancel.isCancelled())
            continue;
        // A side that is late is put right first.
        if (hits.hits.sideLags[static_cast<std::size_t>(input)].side >= 0)
            continue;
        advise::SideMeasure sides{e->id, 0, false, 0};
        int inverted = 0;
        std::vector<double> sure;
        measure::AlignmentSettings settings;
        settings.mostDelayMs = 6;
        for (const auto& drum : hits.hits.kit.drums) {
            const bool isShell = roleInfo(drum.role).group == RoleGroup::Shells;
            if (!isShell || !drum.isMiked())
                continue;
            const auto own = clearHits(hits, hits.elements[static_cast<std::size_t>(drum.inputs.front())]);
            if (static_cast<int>(own.size()) < kEnoughHits)
                continue;
            const auto pair =
                measure::alignPair(inputSound(s, e->id, sources, 0), inputSound(s, e->id, sources, 1),
                                   s.sampleRateHz, own, settings);
            if (pair.confidence < kSure)
                continue;
            ++sides.drums;
            inverted += pair.isInverted ? 1 : 0;
            sure.push_back(pair.confidence);
        }
        if (sides.drums == 0)
            continue;
        sides.isInverted = inverted == sides.drums;
        sides.confidence = measure::median(sure);
        found.push_back(sides);
    }
    return found;
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
