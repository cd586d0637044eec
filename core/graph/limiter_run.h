// One limiter of a plan as it runs.
#pragma once

#include "core/dsp/lane.h"
#include "core/dsp/limiter.h"
#include "core/graph/moments.h"
#include "core/graph/plan.h"

namespace cask::graph {

class LimiterRun {
  public:
    /// Allocates. REQUIRES: the plan outlives it.
    LimiterRun(const LimiterPlan& plan, double sampleRateHz, int mostFrames);

    [[nodiscard]] const LimiterPlan& plan() const { return *m_plan; }
    /// Other values from a plan of the same layout. RT: no alloc. REQUIRES: it outlives this.
    void retarget(const LimiterPlan& plan) noexcept;
    /// RT: no alloc.
    void copyStateFrom(const LimiterRun& before) noexcept { m_limiter.copyStateFrom(before.m_limiter); }
    void reset() noexcept;
    /// In place, for the block that starts at frame `start` of the runner. RT: no alloc, no lock.
    void process(float* sound, Frames start, int frames) noexcept;
    [[nodiscard]] float takeLeastGain() noexcept { return m_limiter.takeLeastGain(); }

  private:
    void settle(Frames frame) noexcept;

    const LimiterPlan* m_plan;
    dsp::Limiter m_limiter;
    dsp::LaneBuffer m_silent; ///< stands in for the right channel of a mono lane
    MomentClock<Moment<dsp::LimiterSettings>> m_clock;
};

} // namespace cask::graph
