#include "core/kit_measures/crowding.h"

#include "core/graph/offline_render.h"
#include "core/session/hearing.h"

namespace cask::kit {

using session::Id;

Result<std::vector<advise::CrowdMeasure>> measureCrowding(const session::Session& s,
                                                          const graph::SourceLookup& sources,
                                                          const CancelToken& cancel,
                                                          const ProgressFn& progress, double mostS) {
    auto open = session::withoutSolos(s);
    std::vector<advise::CrowdMeasure> crowd;
    graph::RenderOptions options;
    options.threads = 1; // one track at a time
    options.frames = std::min(s.lengthFrames(), secondsToFrames(mostS, s.sampleRateHz));
    for (auto& element : open.elements) {
        element.edit([&](session::Element& e) {
            e.out.bus = open.master().id;
            e.out.sends.clear();
        });
        if (!isMixed(element->role) || element->out.isMuted)
            continue;
        options.stems.push_back(element->id);
        crowd.push_back({element->id, {}});
    }
    for (auto& bus : open.buses)
        bus.edit([](session::Bus& b) {
            b.chain.clear();
            b.out.levelDb = 0;
            b.out.isMuted = false;
        });
    if (crowd.empty() || options.frames <= 0)
        return std::vector<advise::CrowdMeasure>();
    measure::CrowdMeter meter(s.sampleRateHz, crowd.size());
    const auto done = graph::renderOffline(
        open, sources, options,
        [&](int track, std::span<const float> block) -> Status {
            if (track > 0)
                meter.add(static_cast<std::size_t>(track - 1), block);
            return Done{};
        },
        cancel, progress);
    if (!done)
        return done.error();
    const auto parts = meter.parts();
    for (std::size_t i = 0; i < crowd.size(); ++i)
        crowd[i].part = parts[i];
    return crowd;
}

} // namespace cask::kit
