// The sound of an element or bus inside the session.
#pragma once

#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/graph/plan.h>
#include <functional>
#include <span>
#include <vector>

namespace cask::kit {

/// Blocks of an element or bus after its chain and before its level, interleaved, in order; as many channels
/// as nodeChannels(). Errors: cancelling, a route that feeds itself, what the sink says.
using NodeSink = std::function<Status(std::span<const float> interleaved)>;
[[nodiscard]] Status renderNode(const session::Session& session, session::Id elementOrBus,
                                const graph::SourceLookup& sources, Frames from, Frames frames,
                                const NodeSink& sink, const CancelToken& cancel = {},
                                const ProgressFn& progress = {});
/// One of a mono element, else two.
[[nodiscard]] int nodeChannels(const session::Session& session, session::Id elementOrBus);

/// An element or bus after its chain and before its level, over a stretch of the session: one or two channels
/// of so many frames. Only cancelling and a route that feeds itself are errors.
[[nodiscard]] Result<std::vector<std::vector<float>>>
nodeSound(const session::Session& session, session::Id elementOrBus, const graph::SourceLookup& sources,
          Frames from, std::size_t frames, const CancelToken& cancel = {});

} // namespace cask::kit
