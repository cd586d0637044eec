// Second half of compiling: mixes between groups.
#pragma once

#include "core/graph/compile_latency.h"
#include "core/graph/plan.h"

namespace cask::graph {

/// One way from a node into a bus, with the level it is taken at.
struct Route {
    Id from;
    Id to;               ///< kNoId: the mix output
    double level;        ///< linear, besides the gains of position and width
    int outputLane = -1; ///< for stems and the mix: lane counted over the output groups
};

/// Fills the mixes of a plan whose groups and nodes are placed. `order`: elements and buses, feeders first.
void compileRoutes(Plan& plan, const session::Session& session, const Latencies& latencies,
                   const std::vector<Id>& order, const std::vector<Id>& stems);

} // namespace cask::graph
