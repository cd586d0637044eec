// One step of a group as it runs.
#pragma once

#include "core/base/stage.h"
#include "core/dsp/kernels.h"
#include "core/graph/key_run.h"
#include "core/graph/plan.h"
#include "core/graph/section_run.h"

#include <functional>
#include <memory>

namespace cask::graph {

/// What all steps of a plan share.
struct StepContext {
    double sampleRateHz = 48000;
    int mostFrames = 0;
    int glideFrames = 1;
    const dsp::Kernels* kernels = nullptr;
};

/// A block of a group.
struct StepBlock {
    float* io;
    Frames start; ///< frame of the runner
    int frames;
    /// Block of another group.
    const float* (*soundOf)(const void* runner, int group, int slot);
    const void* runner;
    int slot;
    bool areKeysReady = true; ///< false once a file that is listened to was not ready

    /// Writes what a module listens to into its lanes of `to`. RT: no alloc, no lock.
    void fillKey(KeyRun& key, float* to) noexcept {
        const KeyPlan& plan = key.plan();
        const float* chain = plan.group >= 0 ? soundOf(runner, plan.group, slot) + plan.lane : nullptr;
        areKeysReady = key.fill(start, frames, chain, to) && areKeysReady;
    }
};

/// Allocates in its constructor only. RT: no alloc, no lock in the rest.
class StepRun {
  public:
    StepRun() = default;
    StepRun(const StepRun&) = delete;
    StepRun& operator=(const StepRun&) = delete;
    virtual ~StepRun() = default;

    /// Other values: they glide. REQUIRES: the same step of a plan of the same layout; both plans live.
    virtual void retarget(const StepPlan& plan) noexcept = 0;
    /// Copies the sound state of modules that are in both steps; values glide.
    virtual void copyModules(const StepRun& before) noexcept = 0;
    virtual void reset() noexcept = 0;
    virtual void process(StepBlock& block) noexcept = 0;

    /// Its filters, whose state is carried over by their keys.
    [[nodiscard]] virtual SectionRun& sections() noexcept = 0;
    // What it tells, for display
    /// Gain of its modules of a stage on a lane at the end of the last block.
    [[nodiscard]] virtual float gainOf(Stage /*stage*/, int /*lane*/) const noexcept { return 1; }
    /// What the level adds to a dynamic band's gain, dB; 0 when it has no such band.
    [[nodiscard]] virtual float movedDb(Id /*band*/) const noexcept { return 0; }
    /// Least gain of its ceilings since the last call.
    [[nodiscard]] virtual float takeLeastCeilingGain() noexcept { return 1; }
};

/// Allocates. REQUIRES: the plan outlives it.
[[nodiscard]] std::unique_ptr<StepRun> makeStepRun(const StepPlan& plan, const StepContext& context);

} // namespace cask::graph
