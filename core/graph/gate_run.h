// One gate of a plan as it runs: its key, and the settings of the section that plays.
#pragma once

#include "core/graph/key_run.h"
#include "core/graph/moments.h"
#include "core/graph/plan.h"

namespace cask::graph {

class GateRun {
  public:
    /// Allocates. REQUIRES: the plan outlives it.
    GateRun(const GatePlan& plan, double sampleRateHz, int mostFrames, int glideFrames);

    [[nodiscard]] const GatePlan& plan() const { return *m_plan; }
    [[nodiscard]] KeyRun& key() { return m_key; }
    /// Takes the sound state of the one that ran before in a plan of the same layout; settings glide.
    /// RT: no alloc.
    void takeOver(GateRun& before) noexcept;
    /// The same where the rest of the plan differs: what fits is copied. RT: no alloc.
    void copyStateFrom(const GateRun& before) noexcept;
    void reset() noexcept;

    /// In place, for the block that starts at frame `start` of the runner.
    /// RT: no alloc, no lock.
    void process(float* sound, const float* detectors, Frames start, int frames) noexcept;
    [[nodiscard]] float gainNow() const { return m_gate.gainNow(); }

  private:
    void settle(Frames frame, int glideFrames) noexcept;

    const GatePlan* m_plan;
    int m_glideFrames;
    dsp::Gate m_gate;
    MomentClock<Moment<dsp::GateSettings>> m_clock;
    KeyRun m_key;
};

} // namespace cask::graph
