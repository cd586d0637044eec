// Measures the rungs of the headroom ladder.
#pragma once

#include <core/base/headroom.h>
#include <core/base/progress.h>
#include <core/graph/plan.h>

namespace cask::kit {

/// Renders the session with only the elements of each rung heard, over its whole length.
/// Kick: all kick roles; kit: all that is not context; what is muted stays muted.
/// `rungs`: those that are wanted; the others stay silent.
[[nodiscard]] Result<Headroom>
measureHeadroom(const session::Session& session, const graph::SourceLookup& sources,
                const CancelToken& cancel = {},
                const std::array<bool, kRungs>& rungs = {true, true, true, true});

} // namespace cask::kit
