// Microphones of one drum, and how they stand to each other in a session.
#pragma once

#include <core/base/progress.h>
#include <core/graph/plan.h>
#include <core/measure/alignment.h>
#include <vector>

namespace cask::project {

/// A pair as the session has it now: trim, level, polarity and shift count.
struct PartnerAlignment {
    session::Id first = session::kNoId;
    session::Id second = session::kNoId;
    measure::Alignment alignment;
};

/// Pairs of elements that hear one drum from near: kick in with kick out and sub kick, snare top with bottom.
[[nodiscard]] std::vector<std::pair<session::Id, session::Id>> partners(const session::Session& session);

/// Measures every pair of partners around the strongest hits of the first. A delay is to the whole frame what
/// the files and shifts make it; sources that are silent give a pair without hits. Only cancelling is an
/// error.
[[nodiscard]] Result<std::vector<PartnerAlignment>> alignPartners(const session::Session& session,
                                                                  const graph::SourceLookup& sources,
                                                                  const CancelToken& cancel = {},
                                                                  const ProgressFn& progress = {});

} // namespace cask::project
