// Runs a plan block by block: owns the state, knows no files and no devices.
#pragma once

#include <core/graph/plan.h>
#include <functional>
#include <memory>
#include <span>
#include <vector>

namespace cask::graph {

/// Runs `count` jobs, in any order and on any threads, and returns when all are done.
using ParallelFor = std::function<void(int count, const std::function<void(int)>& job)>;

/// The constructor allocates everything; process() and adopt() never do. Not thread-safe.
/// The same session gives the same bits for any split into blocks and any number of threads.
class Runner {
  public:
    Runner(std::shared_ptr<const Plan> plan, int mostFramesPerBlock);

    [[nodiscard]] const Plan& plan() const { return *m_plan; }
    [[nodiscard]] int mostFrames() const { return m_mostFrames; }

    /// Takes over the sound state of the runner that played before. With the same layout gains and filters
    /// glide from where they were; otherwise what has the same keys keeps its state, and the caller fades
    /// between the two. RT: no alloc, no lock.
    void adopt(Runner& before) noexcept;
    [[nodiscard]] bool hasSameLayout(const Runner& other) const noexcept {
        return m_plan->layout == other.m_plan->layout;
    }
    /// Silence in every delay and filter; glides end. RT: no alloc, no lock.
    void reset() noexcept;

    /// Computes frames [start, start + frames). False when a source was not ready in time.
    /// RT unless `parallel` is given: no alloc, no lock. REQUIRES: frames <= mostFrames().
    bool process(Frames start, int frames, const ParallelFor* parallel = nullptr) noexcept;

    /// Sample n of the mix is left[n * kLanes] and left[n * kLanes + 1]; valid until the next process().
    [[nodiscard]] const float* mix() const {
        return m_groups[static_cast<std::size_t>(m_plan->outputGroup)].sound.data();
    }
    [[nodiscard]] const float* stem(int index) const;
    /// Level of a node's channel after its chain, over the last block.
    [[nodiscard]] float peak(const NodePlan& node) const noexcept;
    [[nodiscard]] float meanSquare(const NodePlan& node) const noexcept;
    /// Least gain of all ceilings since the last call.
    [[nodiscard]] float takeLeastCeilingGain() noexcept;
    /// Blocks in which a value that is no number came out and was silenced.
    [[nodiscard]] int notFiniteBlocks() const { return m_notFiniteBlocks; }

  private:
    struct CeilingState {
        Id module;
        dsp::Ceiling ceiling;
        dsp::LaneBuffer silent; ///< stands in for the right channel of a mono lane
    };
    struct StepState {
        dsp::SectionBank bank;
        std::vector<CeilingState> ceilings;
    };
    struct GroupState {
        dsp::LaneBuffer sound;
        dsp::LaneBuffer raw; // before the shift
        std::array<float, dsp::kLanes> fromGain{};
        int gainGlideLeft = 0;
        std::vector<StepState> steps;
        dsp::LaneLevels levels;
        bool sourcesReady = true;
        std::vector<float> planar;
    };
    struct MixState {
        dsp::MixMatrix matrix;
        bool delays = false;
        int length = 0; // frames of the delay ring
        int at = 0;
        dsp::LaneBuffer ring;
        dsp::LaneBuffer delayed;
    };
    struct SectionPlace {
        StateKey key;
        int group;
        int step;
        int section;
        int lane;
    };

    void readInputs(std::size_t group, Frames start, int frames) noexcept;
    void runGroup(std::size_t group, Frames start, int frames) noexcept;
    void runMix(std::size_t mix, int frames) noexcept;
    void guardOutput(int frames) noexcept;
    void adoptSameLayout(Runner& before) noexcept;
    void adoptByKeys(Runner& before) noexcept;

    std::shared_ptr<const Plan> m_plan;
    int m_mostFrames;
    const dsp::Kernels& m_kernels;
    std::vector<GroupState> m_groups;
    std::vector<MixState> m_mixes;
    std::vector<std::pair<int, int>> m_mixesOfGroup; // first and end
    std::vector<std::pair<int, int>> m_levels;       // groups of a level: first and end
    std::vector<SectionPlace> m_places;              // sorted by key
    int m_lastFrames = 0;
    int m_notFiniteBlocks = 0;
};

} // namespace cask::graph
