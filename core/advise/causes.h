// Several findings with one cause, told as one.
#pragma once

#include <core/advise/finding.h>
#include <core/advise/kit_measures.h>
#include <core/dsp/eq_settings.h>
#include <map>
#include <string>
#include <vector>

namespace cask::advise {

/// Two microphones of one drum that hear the same ring are one finding with a move in each. What stands out
/// in the second alone is the drum's too, and is cut in both; `cuts`: of each ring, by the finding's id. What
/// another drum rings with more is heard from there and goes.
void joinRings(std::vector<Finding>& findings, const std::map<std::string, dsp::EqBand>& cuts,
               const session::Session& session, const HitAnalysis& hits);

/// Spill in several close microphones, its lows there, and the drums' lows in both overheads, are one job
/// each: one finding whose proposal makes all the moves, as weighty as the weightiest. Those of the single
/// elements are folded. REQUIRES: the findings are weighed.
void gatherByCause(std::vector<Finding>& findings, const session::Session& session);

} // namespace cask::advise
