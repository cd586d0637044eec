// Several findings with one cause, told as one.
#pragma once

#include <core/advise/finding.h>
#include <vector>

namespace cask::advise {

/// Spill in several close microphones, and the drums' lows in both overheads, are one job each: one finding
/// whose proposal makes all the moves, as weighty as the weightiest. Those of the single elements are folded.
/// REQUIRES: the findings are weighed.
void gatherByCause(std::vector<Finding>& findings, const session::Session& session);

} // namespace cask::advise
