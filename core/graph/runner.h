// Runs a plan block by block: owns the state, knows no files and no devices.
#pragma once

#include <atomic>
#include <core/graph/plan.h>
#include <core/graph/step_run.h>
#include <memory>
#include <vector>

namespace cask::graph {

/// The constructor allocates everything; what processes or adopts never does.
/// Not thread-safe, but different groups may run at once as runGroup() says.
/// The same session gives the same bits for any split into blocks and any number of threads.
class Runner {
  public:
    /// `slots`: blocks that may be under way at a time, for runGroup().
    Runner(std::shared_ptr<const Plan> plan, int mostFramesPerBlock, int slots = 1);

    [[nodiscard]] const Plan& plan() const { return *m_plan; }
    [[nodiscard]] int mostFrames() const { return m_mostFrames; }

    /// Goes on with another plan of the same layout: what can glide glides there. `plan` is the old one
    /// afterwards. RT: no alloc, no lock, nothing freed.
    void retarget(std::shared_ptr<const Plan>& plan) noexcept;
    /// Takes over the sound state of the runner that played before, which is not to be run again. With the
    /// same layout it goes on as that one with its own plan; otherwise what has the same keys keeps its
    /// state, and the caller fades between the two. REQUIRES: as many frames a block. RT: no alloc, no lock.
    void adopt(Runner& before) noexcept;
    [[nodiscard]] bool hasSameLayout(const Runner& other) const noexcept {
        return m_plan->layout == other.m_plan->layout;
    }
    /// Silence in every delay and filter; glides end. RT: no alloc, no lock.
    void reset() noexcept;

    /// Computes frames [start, start + frames). False when a source was not ready in time.
    /// RT: no alloc, no lock. REQUIRES: frames <= mostFrames().
    bool process(Frames start, int frames) noexcept;
    /// Computes one group of a block. RT: no alloc, no lock.
    /// REQUIRES: a group runs its blocks in order; the groups that feed it have run this block, and the
    /// groups it feeds no longer need the slot.
    void runGroup(std::size_t group, Frames start, int frames, int slot) noexcept;

    /// Sample n of the mix is left[n * kLanes] and left[n * kLanes + 1]; valid until the slot is used again.
    [[nodiscard]] const float* mix(int slot = 0) const {
        return sound(static_cast<std::size_t>(m_plan->outputGroup), slot);
    }
    [[nodiscard]] const float* stem(int index, int slot = 0) const;
    /// Level of a node's channel after its chain, over the last block.
    [[nodiscard]] float peak(const NodePlan& node) const noexcept;
    [[nodiscard]] float meanSquare(const NodePlan& node) const noexcept;
    /// Least gain of all ceilings since the last call.
    [[nodiscard]] float takeLeastCeilingGain() noexcept;
    /// Gain of a node's gates (Stage::Clean) or compressors (Stage::Punch, without their make-up) at the end
    /// of the last block, of a pair the lower one; 1 when it has none.
    [[nodiscard]] float gainOf(Stage stage, const NodePlan& node) const noexcept;
    /// What the level adds to the gain of a dynamic band at the end of the last block, dB.
    [[nodiscard]] float movedDb(Id band) const noexcept;
    /// Blocks of a group in which a value that is no number came out and was silenced.
    [[nodiscard]] int notFiniteBlocks() const { return m_notFiniteBlocks.load(std::memory_order_relaxed); }

  private:
    struct GroupState {
        dsp::LaneBuffer sound; // of every slot
        dsp::LaneBuffer raw;   // before the shift
        dsp::LaneFloats gain;
        dsp::LaneFloats fromGain;
        int gainGlideLeft = 0;
        std::vector<std::unique_ptr<StepRun>> steps;
        dsp::LaneLevels levels;
        bool sourcesReady = true;
        std::vector<float> planar; // of every lane
    };
    struct MixState {
        dsp::MixMatrix matrix;
        MomentClock<MixMoment> clock;
        explicit MixState(const MixPlan& plan) : clock(plan.moments) {}
        dsp::LaneDelay delay;
        dsp::LaneBuffer delayed; // empty where nothing waits
    };
    struct SectionPlace {
        StateKey key;
        int group;
        int step;
        int section;
        int lane;
    };

    [[nodiscard]] const float* sound(std::size_t group, int slot) const {
        return m_groups[group].sound.data() + static_cast<std::ptrdiff_t>(slot) * m_mostFrames * dsp::kLanes;
    }
    [[nodiscard]] float* sound(std::size_t group, int slot) {
        return m_groups[group].sound.data() + static_cast<std::ptrdiff_t>(slot) * m_mostFrames * dsp::kLanes;
    }
    void readInputs(std::size_t group, Frames start, int frames, float* to) noexcept;
    void runMix(std::size_t mix, Frames start, int frames, int slot, bool adds) noexcept;
    /// The gains that hold at a frame are where the mix goes.
    static void settleMix(MixState& mix, const MixPlan& plan, Frames frame) noexcept;
    static void takeMoments(MixState& mix, Frames frame) noexcept;
    /// Silences a block that is not finite and forgets the state that made it.
    void guard(GroupState& group, float* sound, int frames) noexcept;
    static void resetGroup(GroupState& group) noexcept;
    /// Where the gains of a mix go, from where `from` says.
    static void takeGains(dsp::MixMatrix& matrix, const MixPlan& plan) noexcept;
    void adoptByKeys(Runner& before) noexcept;

    std::shared_ptr<const Plan> m_plan;
    int m_mostFrames;
    const dsp::Kernels& m_kernels;
    std::vector<GroupState> m_groups;
    std::vector<MixState> m_mixes;
    std::vector<std::pair<int, int>> m_mixesOfGroup; // first and end
    std::vector<SectionPlace> m_places;              // sorted by key
    int m_lastFrames = 0;
    std::atomic<int> m_notFiniteBlocks{0};
};

} // namespace cask::graph
