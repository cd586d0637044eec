// The dynamic bands of one equaliser of a plan as they run.
#pragma once

#include "core/dsp/dynamic_band.h"
#include "core/graph/key_run.h"
#include "core/graph/moments.h"
#include "core/graph/plan.h"
#include "core/graph/step_run.h"

namespace cask::graph {

class DynamicRun {
  public:
    /// Allocates. REQUIRES: the plan outlives it.
    DynamicRun(const DynamicPlan& plan, const StepContext& context);

    [[nodiscard]] const DynamicPlan& plan() const { return *m_plan; }
    [[nodiscard]] KeyRun& key() { return m_key; }
    /// Takes the sound state of the one that ran before in a plan of the same layout; bands glide.
    /// RT: no alloc.
    void takeOver(DynamicRun& before) noexcept;
    /// The same where the rest of the plan differs: bands of the same id are copied. RT: no alloc.
    void copyStateFrom(const DynamicRun& before) noexcept;
    void reset() noexcept;

    /// Lets the sound wait for its key. RT: no alloc, no lock.
    void wait(float* sound, int frames) noexcept;
    /// In place on this run's lanes, for the block that starts at frame `start` of the runner. `own`: the
    /// sound as it came; `key`: what the keyed bands hear. RT: no alloc, no lock.
    void process(float* sound, const float* own, const float* key, Frames start, int frames) noexcept;
    /// What the level adds to a band's gain now, dB; 0 when it is not one of these.
    [[nodiscard]] float movedDb(Id band) const noexcept;

  private:
    void settle(Frames frame, int glideFrames) noexcept;
    void setBands(const DynamicBandDesigns& designs, int glideFrames) noexcept;

    const DynamicPlan* m_plan;
    int m_glideFrames;
    KeyRun m_key;
    MomentClock<Moment<DynamicBandDesigns>> m_clock;
    std::vector<dsp::DynamicBand> m_bands; ///< as in the plan
    std::vector<float> m_ring;             ///< two channels
    int m_at = 0;
};

} // namespace cask::graph
