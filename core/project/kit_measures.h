// Everything that findings rest on, measured of a session and its files in one go.
#pragma once

#include <core/advise/house_style.h>
#include <core/advise/kit_measures.h>
#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/project/hit_analysis.h>
#include <core/session/session.h>
#include <filesystem>
#include <map>

namespace cask::project {

/// What is said and measured of each file alone, from the session's cache where it is there.
[[nodiscard]] std::map<session::Id, advise::FileMeasure>
measureFiles(const session::Session& session, const std::filesystem::path& folder,
             const TrailLookup& trails = {}, const CancelToken& cancel = {}, const ProgressFn& progress = {});

/// What is measured: what a stage says rests on less than all.
enum class KitDepth {
    Files, ///< files, hits, pairs, copies: all that Intake and Hits go by
    All,
};

/// Measures or takes from the session's cache; files that can't be read carry their problem. Only cancelling
/// is an error. Gates are searched by the style.
[[nodiscard]] Result<advise::KitMeasures>
measureKit(const session::Session& session, const std::filesystem::path& folder,
           const advise::HouseStyle& style = {}, KitDepth depth = KitDepth::All,
           const CancelToken& cancel = {}, const ProgressFn& progress = {});

} // namespace cask::project
