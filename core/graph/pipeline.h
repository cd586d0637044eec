// Stages that run block after block, with blocks overlapping so that all threads have work.
#pragma once

#include <functional>
#include <span>
#include <vector>

namespace cask::graph {

/// One job that is repeated for every block, in the order of the blocks, never two at a time.
struct PipelineStage {
    std::vector<int> needs;             ///< stages that must have finished the block before
    std::function<void(long long)> run; ///< any thread; must not throw
};

/// Runs every stage for the blocks [0, blocks) on `threads` threads, the caller's among them, and returns
/// when all is done. A stage begins block b only when those that need it have finished block b - slots: what
/// it writes may live in `slots` buffers used in turn. Ends early, between two jobs, once `goesOn` is false;
/// it is asked by any of the threads.
/// REQUIRES: a stage needs only stages that stand before it.
void runPipeline(std::span<const PipelineStage> stages, long long blocks, int slots, int threads,
                 const std::function<bool()>& goesOn);

} // namespace cask::graph
