// Microphones of one drum, and close microphones against the overheads: how they stand to each other.
#pragma once

#include <core/graph/plan.h>
#include <core/measure/alignment.h>
#include <core/project/hit_analysis.h>
#include <vector>

namespace cask::project {

/// A pair as the session has it now: trim, level, polarity and shift count.
struct PartnerAlignment {
    session::Id first = session::kNoId;
    session::Id second = session::kNoId;
    bool isNear = true; ///< both stand at the drum; else the second hears all
    measure::Alignment alignment;
};

/// Pairs of elements that hear one drum from near (kick in with kick out and sub kick, snare top with
/// bottom), then each drum's first microphone with the overheads.
[[nodiscard]] std::vector<std::pair<session::Id, session::Id>> partners(const session::Session& session);
[[nodiscard]] bool isNearPair(const session::Session& session, session::Id first, session::Id second);

/// Measures one pair around the strongest own hits of the first; a pair without hits says so.
[[nodiscard]] measure::Alignment alignPartner(const session::Session& session, const HitAnalysis& hits,
                                              const graph::SourceLookup& sources, session::Id first,
                                              session::Id second);
/// Measures every pair. Only cancelling is an error.
[[nodiscard]] Result<std::vector<PartnerAlignment>>
alignPartners(const session::Session& session, const HitAnalysis& hits, const graph::SourceLookup& sources,
              const CancelToken& cancel = {}, const ProgressFn& progress = {});

} // namespace cask::project
