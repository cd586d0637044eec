// What bends the sound of a session's elements and buses, and its parallel paths.
#pragma once

#include <core/advise/house_style.h>
#include <core/advise/kit_measures.h>
#include <core/graph/plan.h>
#include <core/kit_measures/hit_analysis.h>

namespace cask::kit {

/// Settings of a module as the Drive stage measures them; nothing for other kinds.
[[nodiscard]] std::optional<measure::DriveSettings> driveSettings(const session::ModuleSettings& settings);

/// The drum's lowest note in what comes to a module; 0 where it is not sure.
[[nodiscard]] double noteOf(const session::Session& session, session::Id owner,
                            const measure::HitMaterial& material);

/// What every saturation, clipper, crush and resonator that is on does, over the middle minute of what comes
/// to it. Those in `known` that still stand in the same session in front of the same settings are taken over.
/// Only cancelling is an error.
[[nodiscard]] Result<std::vector<advise::DriveMeasure>>
measureDrives(const session::Session& session, const HitAnalysis& hits, const graph::SourceLookup& sources,
              const advise::HouseStyle& style, const CancelToken& cancel = {},
              const std::vector<advise::DriveMeasure>& known = {});

/// Every parallel path that sounds, over the middle half minute.
[[nodiscard]] Result<std::vector<advise::PathMeasure>>
measurePaths(const session::Session& session, const HitAnalysis& hits, const graph::SourceLookup& sources,
             const advise::HouseStyle& style, const CancelToken& cancel = {});

/// All of it, and a push test of every bus, no parallel path, whose chain changes the shape of hits. Pushes
/// in `known` whose chain still stands are taken over.
[[nodiscard]] Result<advise::KitDrive> measureDrive(const session::Session& session, const HitAnalysis& hits,
                                                    const graph::SourceLookup& sources,
                                                    const advise::HouseStyle& style,
                                                    const CancelToken& cancel = {},
                                                    const advise::KitDrive& known = {});

} // namespace cask::kit
