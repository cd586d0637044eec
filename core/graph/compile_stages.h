// From the chains of elements and buses to the steps of a group of lanes.
#pragma once

#include "core/graph/compile_latency.h"
#include "core/graph/plan.h"

namespace cask::graph {

/// What one lane asks for, in order.
struct LaneStage {
    StepKinds<LaneKinds>::Stages what;
    bool isPartner = false; ///< the right lane of a pair: the left one stands for both
    std::vector<SectionTarget> sections;
    std::vector<SectionMoment> moments; ///< of the sections; the lane is not known yet
};

/// All that the stages of a plan are made from.
struct StageContext {
    const session::Session& session;
    const Latencies& latencies;
    const SourceLookup& sources;
    const Plan& plan; ///< buses that detectors listen to are placed
    const Listening& listening;
};

/// Stages of one channel (0 or 1) of a node with so many lanes.
[[nodiscard]] std::vector<LaneStage> stagesOf(const StageContext& context, Id owner, int channel, int lanes);

/// Merges the stages of all lanes of a group into steps: at each turn the kind that most lanes wait for.
[[nodiscard]] std::vector<StepPlan> mergeStages(std::array<std::vector<LaneStage>, dsp::kLanes>& lanes);

} // namespace cask::graph
