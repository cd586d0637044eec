// Elements that crowd: each muted in turn, measured in the sum.
#pragma once

#include <core/advise/kit_measures.h>
#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/graph/plan.h>
#include <vector>

namespace cask::kit {

/// Elements that are mixed and not muted, behind their own chains, levels and pans, as they meet in a sum;
/// what buses do to it is left out. At most the first `mostS` seconds.
inline constexpr double kCrowdingS = 60;
[[nodiscard]] Result<std::vector<advise::CrowdMeasure>>
measureCrowding(const session::Session& s, const graph::SourceLookup& sources, const CancelToken& cancel = {},
                const ProgressFn& progress = {}, double mostS = kCrowdingS);

} // namespace cask::kit
