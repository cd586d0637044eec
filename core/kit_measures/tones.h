// How the drums of a session sound: own hits, fundamentals, rings.
#pragma once

#include <core/advise/kit_measures.h>
#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/graph/plan.h>

namespace cask::kit {

/// Of every close microphone of a shell and every overhead, as it enters its chain and behind its filters, on
/// two threads. `known`: measures of the same sound and hits, which are taken over; behind filters that have
/// changed they are measured anew. Only cancelling is an error.
[[nodiscard]] Result<std::vector<advise::ToneMeasure>>
measureTones(const session::Session& session, const advise::HitAnalysis& hits,
             const graph::SourceLookup& sources, const CancelToken& cancel = {},
             const ProgressFn& progress = {}, const std::vector<advise::ToneMeasure>& known = {});

/// Whether what is known of an element behind its filters is still true.
[[nodiscard]] bool isMeasuredBehindFilters(const session::Session& session, const advise::ToneMeasure& tone);

} // namespace cask::kit
