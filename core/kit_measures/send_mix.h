// Who should be sent to a parallel path, and how much: those that need sustain.
#pragma once

#include <core/advise/kit_measures.h>
#include <core/graph/plan.h>
#include <core/kit_measures/hit_analysis.h>

namespace cask::kit {

/// Sends, dB, for drums of these tails (energy of 120 to 400 ms against the first 120, dB). Of a path that is
/// crushed what a drum gains in its tail grows with its share; a drum that rings as long as all get 0, one
/// that rings shorter by so many dB gets as many more, up to kMostMoreDb, one that rings longer as many less,
/// down to kMostLessDb; then all move so that the loudest stands at `loudestDb`.
[[nodiscard]] std::vector<double> sendsBySustain(const std::vector<double>& sustainsDb, double loudestDb);
inline constexpr double kMostMoreDb = 6;
inline constexpr double kMostLessDb = 12;

/// Tells of each of the path's shares what its tail is and which send it should have, where at least two
/// shells have enough own hits in the stretch.
void findWantedSends(advise::PathMeasure& path, const session::Session& session, const HitAnalysis& hits,
                     const graph::SourceLookup& sources, Frames from, Frames frames,
                     const CancelToken& cancel = {});

} // namespace cask::kit
