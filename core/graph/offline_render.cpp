#include "core/graph/offline_render.h"

#include "core/graph/runner.h"
#include "core/graph/thread_team.h"

#include <algorithm>

namespace cask::graph {

Status renderOffline(const session::Session& session, const SourceLookup& sources,
                     const RenderOptions& options, const RenderSink& sink, const CancelToken& cancel,
                     const ProgressFn& progress) {
    const auto plan = compile(session, sources, options.stems);
    if (!plan)
        return plan.error();
    Runner runner(*plan, options.blockFrames);
    ThreadTeam team(options.threads);
    const ParallelFor parallel = team.parallelFor();
    const Frames total =
        options.frames > 0 ? options.frames : std::max<Frames>(0, session.lengthFrames() - options.from);
    const Frames latency = (*plan)->latencyFrames;
    const int trackCount = 1 + (*plan)->stemCount;
    std::vector<std::vector<float>> tracks(static_cast<std::size_t>(trackCount));
    std::vector<std::span<const float>> views(tracks.size());
    const dsp::DenormalGuard flush;

    for (Frames done = 0; done < total + latency;) {
        if (cancel.isCancelled())
            return Error{ErrorCode::Cancelled, "Rendering was stopped."};
        const int frames = static_cast<int>(std::min<Frames>(options.blockFrames, total + latency - done));
        runner.process(options.from + done, frames, options.threads > 1 ? &parallel : nullptr);
        const int skipped = static_cast<int>(std::clamp<Frames>(latency - done, 0, frames));
        done += frames;
        if (skipped == frames)
            continue;
        for (int t = 0; t < trackCount; ++t) {
            const float* from = t == 0 ? runner.mix() : runner.stem(t - 1);
            auto& track = tracks[static_cast<std::size_t>(t)];
            track.resize(static_cast<std::size_t>(2 * (frames - skipped)));
            for (int n = skipped; n < frames; ++n) {
                track[static_cast<std::size_t>(2 * (n - skipped))] = from[n * dsp::kLanes];
                track[static_cast<std::size_t>(2 * (n - skipped) + 1)] = from[n * dsp::kLanes + 1];
            }
            views[static_cast<std::size_t>(t)] = track;
        }
        if (auto status = sink(views); !status)
            return status;
        if (progress)
            progress(static_cast<double>(done) / static_cast<double>(total + latency));
    }
    return Done{};
}

} // namespace cask::graph
