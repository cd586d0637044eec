// The filter sections of a step as they run.
#pragma once

#include "core/dsp/kernels.h"
#include "core/graph/moments.h"
#include "core/graph/plan.h"

namespace cask::graph {

class SectionRun {
  public:
    /// Allocates. REQUIRES: the plan outlives it.
    SectionRun(const StepPlan& plan, int glideFrames);

    [[nodiscard]] bool isEmpty() const { return m_bank.sections.empty(); }
    [[nodiscard]] dsp::SectionLanes& section(int index) {
        return m_bank.sections[static_cast<std::size_t>(index)];
    }
    /// Other values from a plan of the same layout; they glide. RT: no alloc. REQUIRES: it outlives this.
    void retarget(const StepPlan& plan, int glideFrames) noexcept;
    void reset() noexcept;
    /// Filters io in place, for the block that starts at frame `start` of the runner. RT: no alloc, no lock.
    void process(const dsp::Kernels& kernels, float* io, Frames start, int frames) noexcept;

  private:
    /// Those before any moment.
    void takeGoals(const StepPlan& plan) noexcept;
    /// The goals that hold at a frame.
    void takeGoalsAt(Frames frame) noexcept;
    void takeMoments(Frames frame) noexcept;

    const StepPlan* m_plan;
    dsp::SectionBank m_bank;
    MomentClock<SectionMoment> m_clock;
};

} // namespace cask::graph
