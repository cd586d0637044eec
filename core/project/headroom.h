// Measures the rungs of the headroom ladder.
#pragma once

#include <core/base/headroom.h>
#include <core/base/progress.h>
#include <core/graph/plan.h>

namespace cask::project {

/// Renders the session with only the elements of each rung heard, over its whole length.
/// Kick: all kick roles; kit: all that is not context; what is muted stays muted.
[[nodiscard]] Result<Headroom> measureHeadroom(const session::Session& session,
                                               const graph::SourceLookup& sources,
                                               const CancelToken& cancel = {});

} // namespace cask::project
