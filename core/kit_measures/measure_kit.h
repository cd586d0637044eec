// Everything that findings rest on, measured of a session and its sounds in one go.
#pragma once

#include <core/advise/house_style.h>
#include <core/advise/kit_measures.h>
#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/graph/plan.h>
#include <core/kit_measures/hit_analysis.h>
#include <core/session/session.h>

namespace cask::kit {

/// What is measured: what a stage says rests on less than all.
enum class KitDepth {
    Files, ///< hits, pairs, copies: all that Intake and Hits go by, beside each file alone
    All,
};

/// All but what is measured of each file alone. Only cancelling is an error. Gates are searched by the style.
[[nodiscard]] Result<advise::KitMeasures>
measureKit(const session::Session& session, const TrailLookup& trails, const graph::SourceLookup& sources,
           const advise::HouseStyle& style = {}, KitDepth depth = KitDepth::All,
           const CancelToken& cancel = {}, const ProgressFn& progress = {});

} // namespace cask::kit
