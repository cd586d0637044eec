#include "core/project/partners.h"

#include <algorithm>
#include <cmath>

namespace cask::project {
namespace {

using session::Element;
using session::Id;

/// What an element sends to its bus without its chain: from the start of the session, at its level.
std::vector<float> soundOf(const Element& e, const session::Session& s, const graph::SourceLookup& sources) {
    std::vector<float> x(static_cast<std::size_t>(s.lengthFrames()), 0.0F);
    const auto& ref = e.channels.front();
    const auto source = sources(ref.file);
    if (!source || ref.channel >= source->channels())
        return x;
    const auto shift = static_cast<Frames>(std::llround(e.input.shiftMs * 0.001 * s.sampleRateHz));
    (void)source->read(ref.channel, -e.startFrame - shift, x);
    const double gain = dbToLinear(e.input.trimDb + e.out.levelDb) * (e.input.isInverted ? -1 : 1);
    for (float& v : x)
        v *= static_cast<float>(gain);
    return x;
}

bool hearsAll(Role role) {
    return role == Role::Overhead;
}

double median(std::vector<double> x) {
    const auto at = x.begin() + static_cast<std::ptrdiff_t>(x.size() / 2);
    std::nth_element(x.begin(), at, x.end());
    return *at;
}

} // namespace

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
    const auto* a = s.element(first);
    const auto* b = s.element(second);
    if (input < 0 || other < 0 || a == nullptr || b == nullptr)
        return {};
    // Own hits of the first, where no other drum is near; and how much later the second began to hear them.
    std::vector<measure::Arrival> own;
    std::vector<double> laterMs;
    std::vector<double> heardS(hits.hits.strokes.size(), -1);
    for (const auto& h : hits.hits.heard)
        if (h.input == other && h.stroke >= 0)
            heardS[static_cast<std::size_t>(h.stroke)] = h.timeS;
    for (const auto& h : hits.hits.heard) {
        if (h.input != input || !h.isOwn || h.stroke < 0)
            continue;
        const auto& stroke = hits.hits.strokes[static_cast<std::size_t>(h.stroke)];
        if (stroke.isAlone)
            own.push_back({h.timeS, h.levelDb, 0});
        const double there = heardS[static_cast<std::size_t>(h.stroke)];
        if (there >= 0 && stroke.isAlone)
            laterMs.push_back(1000 * (there - h.timeS));
    }
    measure::AlignmentSettings settings;
    constexpr double kReachMs = 1.5;
    if (laterMs.size() >= 3) {
        settings.expectedMs = median(laterMs);
        settings.reachMs = kReachMs;
        settings.mostDelayMs = std::max(settings.mostDelayMs, std::abs(settings.expectedMs) + kReachMs);
    }
    return measure::alignPair(soundOf(*a, s, sources), soundOf(*b, s, sources), s.sampleRateHz, own,
                              settings);
}

Result<std::vector<PartnerAlignment>> alignPartners(const session::Session& s, const HitAnalysis& hits,
                                                    const graph::SourceLookup& sources,
                                                    const CancelToken& cancel, const ProgressFn& progress) {
    std::vector<PartnerAlignment> found;
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

} // namespace cask::project
