// How the elements of a session lie over each other: who owns which band, and who masks whom.
#pragma once

#include <core/advise/kit_measures.h>
#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/graph/plan.h>

namespace cask::kit {

/// Levels over time and frequency of every element as its file is, and the hum in it, on two threads.
/// `known`: of the same sound, which are taken over. Only cancelling is an error.
struct TrackMeasures {
    std::vector<advise::CellMeasure> cells;
    std::vector<advise::HumMeasure> hums; ///< of those that hum
};
[[nodiscard]] Result<TrackMeasures> measureTracks(const session::Session& session,
                                                  const graph::SourceLookup& sources,
                                                  const CancelToken& cancel = {},
                                                  const ProgressFn& progress = {},
                                                  const TrackMeasures& known = {});

/// The elements that are heard, after their trims, equalisers and levels and those of the buses on the way to
/// the master; gates, ceilings and positions are left out. `hits`: tells microphones of one drum apart from
/// rivals; may be null.
[[nodiscard]] advise::MixMeasure measureMix(const session::Session& session,
                                            const std::vector<advise::CellMeasure>& cells,
                                            const advise::HitAnalysis* hits);

/// Response of an element's filters and those of the buses on its way, with all levels, dB.
[[nodiscard]] std::vector<double> wayResponseDb(const session::Session& session, session::Id element,
                                                const std::vector<double>& hz);

} // namespace cask::kit
