// What a detector hears when it is not the sound itself, block by block.
#pragma once

#include "core/graph/plan.h"

#include <vector>

namespace cask::graph {

class KeyRun {
  public:
    /// Allocates. `lane`, `lanes`: where the listener's sound is. REQUIRES: the plan outlives it.
    KeyRun(const KeyPlan& plan, int lane, int lanes, int mostFrames);

    [[nodiscard]] const KeyPlan& plan() const { return *m_plan; }
    /// Writes the key into the listener's lanes of `detectors`. `bus`: the block of the bus or chain that
    /// it listens to, its left lane first; null when it listens to none. False when a file was not ready. RT:
    /// no alloc, no lock.
    bool fill(Frames start, int frames, const float* bus, float* detectors) noexcept;
    /// The same in another plan of the same layout.
    void follow(const KeyPlan& plan) noexcept { m_plan = &plan; }
    void reset() noexcept;

  private:
    bool fillFromElement(Frames start, int frames, float* to) noexcept;

    const KeyPlan* m_plan;
    int m_lane;
    int m_lanes;
    std::vector<float> m_planar; ///< of an element: a block for each input
    std::vector<float> m_ring;   ///< of a bus that must wait, two channels
    int m_at = 0;
};

} // namespace cask::graph
