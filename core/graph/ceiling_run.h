// One ceiling of a plan as it runs.
#pragma once

#include "core/dsp/ceiling.h"
#include "core/dsp/lane.h"
#include "core/graph/moments.h"
#include "core/graph/plan.h"

namespace cask::graph {

class CeilingRun {
  public:
    /// Allocates. REQUIRES: the plan outlives it.
    CeilingRun(const CeilingPlan& plan, double sampleRateHz, int mostFrames);

    [[nodiscard]] const CeilingPlan& plan() const { return *m_plan; }
    /// Other values from a plan of the same layout. RT: no alloc. REQUIRES: it outlives this.
    void retarget(const CeilingPlan& plan) noexcept;
    /// RT: no alloc.
    void copyStateFrom(const CeilingRun& before) noexcept { m_ceiling.copyStateFrom(before.m_ceiling); }
    void reset() noexcept;
    /// In place, for the block that starts at frame `start` of the runner. RT: no alloc, no lock.
    void process(float* sound, Frames start, int frames) noexcept;
    [[nodiscard]] float takeLeastGain() noexcept { return m_ceiling.takeLeastGain(); }

  private:
    void settle(Frames frame) noexcept;

    const CeilingPlan* m_plan;
    dsp::Ceiling m_ceiling;
    dsp::LaneBuffer m_silent; ///< stands in for the right channel of a mono lane
    MomentClock<Moment<dsp::CeilingSettings>> m_clock;
};

} // namespace cask::graph
