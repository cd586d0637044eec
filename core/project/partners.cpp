#include "core/project/partners.h"

#include "core/measure/onsets.h"

#include <algorithm>
#include <cmath>

namespace cask::project {
namespace {

using session::Element;

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

} // namespace

std::vector<std::pair<session::Id, session::Id>> partners(const session::Session& session) {
    std::vector<std::pair<session::Id, session::Id>> pairs;
    for (const auto& a : session.elements)
        for (const auto& b : session.elements)
            if ((a->role == Role::KickIn && (b->role == Role::KickOut || b->role == Role::SubKick)) ||
                (a->role == Role::SnareTop && b->role == Role::SnareBottom))
                pairs.emplace_back(a->id, b->id);
    return pairs;
}

Result<std::vector<PartnerAlignment>> alignPartners(const session::Session& session,
                                                    const graph::SourceLookup& sources,
                                                    const CancelToken& cancel, const ProgressFn& progress) {
    std::vector<PartnerAlignment> found;
    const auto pairs = partners(session);
    for (const auto& [first, second] : pairs) {
        if (cancel.isCancelled())
            return Error{ErrorCode::Cancelled, "Measuring the pairs was stopped."};
        if (progress)
            progress(static_cast<double>(found.size()) / static_cast<double>(pairs.size()));
        const auto a = soundOf(*session.element(first), session, sources);
        const auto b = soundOf(*session.element(second), session, sources);
        measure::OnsetFinder finder(session.sampleRateHz, 1);
        finder.add(a);
        found.push_back({first, second, measure::alignPair(a, b, session.sampleRateHz, finder.result())});
    }
    if (progress)
        progress(1);
    return found;
}

} // namespace cask::project
