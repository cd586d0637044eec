// Renders a session faster than real time: the same plan and the same bits as when it plays.
#pragma once

#include <core/base/progress.h>
#include <core/graph/plan.h>
#include <functional>
#include <span>
#include <vector>

namespace cask::graph {

struct RenderOptions {
    Frames from = 0;
    Frames frames = 0; ///< 0: to the end of the session
    int threads = 2;
    int blockFrames = 1024;
    std::vector<Id> stems;
};

/// Tracks of a block, interleaved stereo: the mix first, then the stems in the order asked for.
using RenderSink = std::function<Status(std::span<const std::span<const float>> tracks)>;

/// The plan's latency is taken out: the first frame that reaches the sink is frame `from` of the session.
[[nodiscard]] Status renderOffline(const session::Session& session, const SourceLookup& sources,
                                   const RenderOptions& options, const RenderSink& sink,
                                   const CancelToken& cancel = {}, const ProgressFn& progress = {});

} // namespace cask::graph
