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
    int blockFrames = 512; ///< small enough that a block stays in the cache on its way
    std::vector<Id> stems;
};

/// A block of a track, interleaved stereo. Track 0 is the mix, then come the stems in the order asked for.
/// Blocks of a track come in order; different tracks may come at the same time, from different threads.
using RenderSink = std::function<Status(int track, std::span<const float> interleaved)>;

/// The plan's latency is taken out: the first frame that reaches the sink is frame `from` of the session.
/// `progress` may be called from any of the threads, one at a time.
[[nodiscard]] Status renderOffline(const session::Session& session, const SourceLookup& sources,
                                   const RenderOptions& options, const RenderSink& sink,
                                   const CancelToken& cancel = {}, const ProgressFn& progress = {});

} // namespace cask::graph
