// Every element's own accents at one peak, by trim.
#pragma once

#include <core/advise/kit_measures.h>
#include <vector>

namespace cask::kit {

struct TrimStep {
    session::Id element = session::kNoId;
    int hits = 0;        ///< own accents, or where there are none own hits that are no ghosts
    double accentDb = 0; ///< median of their peaks behind the trim that there is, dBFS
    double beforeDb = 0; ///< trim
    double afterDb = 0;
    int thresholds = 0; ///< that move along
};

/// For each close microphone with three such hits and more, in the order of the elements; steps under 0.05 dB
/// are left out. Trims stay within their range, in tenths of a dB.
[[nodiscard]] std::vector<TrimStep> trimToTarget(const session::Session& session,
                                                 const advise::HitAnalysis& hits, double targetDb);

/// Takes the steps. What goes by the element's level moves along: thresholds of gates, compressors and
/// dynamic bands, ceilings, also in sections, in its own chain and where another listens to it. So the same
/// is done to the same hits, only louder or softer. A saturation's drive stays.
[[nodiscard]] session::Session withTrims(session::Session session, const std::vector<TrimStep>& steps);

} // namespace cask::kit
