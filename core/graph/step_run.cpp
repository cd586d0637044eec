#include "core/graph/step_run.h"

#include "core/graph/lane_step.h"
#include "core/graph/limiter_run.h"

#include <algorithm>

namespace cask::graph {
namespace {

using dsp::kLanes;

/// Filters on the lanes, or on the middles and sides of pairs.
class FilterStep final : public StepRun {
  public:
    FilterStep(const StepPlan& step, OnMiddlesAndSides pairs, const StepContext& context)
        : m_context(context), m_sections(step, context.glideFrames), m_pairs(std::move(pairs)),
          m_parts(m_pairs.empty() ? 0 : static_cast<std::size_t>(context.mostFrames) * kLanes) {}

    void retarget(const StepPlan& step) noexcept override {
        m_sections.retarget(step, m_context.glideFrames);
    }
    void copyModules(const StepRun& /*before*/) noexcept override {} // sections are carried by their keys
    void reset() noexcept override { m_sections.reset(); }
    [[nodiscard]] SectionRun& sections() noexcept override { return m_sections; }

    void process(StepBlock& block) noexcept override {
        if (m_pairs.empty()) {
            if (!m_sections.isEmpty())
                m_sections.process(*m_context.kernels, block.io, block.start, block.frames);
            return;
        }
        float* io = block.io;
        float* parts = m_parts.data();
        const int end = block.frames * kLanes;
        std::fill_n(parts, end, 0.0F);
        for (const int lane : m_pairs)
            for (int n = lane; n < end; n += kLanes) {
                parts[n] = 0.5F * (io[n] + io[n + 1]);
                parts[n + 1] = 0.5F * (io[n] - io[n + 1]);
            }
        m_sections.process(*m_context.kernels, parts, block.start, block.frames);
        // Only what the filters changed is taken back: where they do nothing every bit stays.
        for (const int lane : m_pairs)
            for (int n = lane; n < end; n += kLanes) {
                const float middle = parts[n] - 0.5F * (io[n] + io[n + 1]);
                const float side = parts[n + 1] - 0.5F * (io[n] - io[n + 1]);
                io[n] += middle + side;
                io[n + 1] += middle - side;
            }
    }

  private:
    StepContext m_context;
    SectionRun m_sections;
    OnMiddlesAndSides m_pairs;
    dsp::LaneBuffer m_parts; ///< middle and side
};

/// Limiters, one after the other.
class LimiterStep final : public StepRun {
  public:
    LimiterStep(const StepPlan& step, const std::vector<LimiterPlan>& plans, const StepContext& context)
        : m_sections(step, context.glideFrames) {
        for (const auto& plan : plans)
            m_modules.emplace_back(plan, context.sampleRateHz, context.mostFrames);
    }

    void retarget(const StepPlan& step) noexcept override {
        const auto& plans = std::get<std::vector<LimiterPlan>>(step.what);
        for (std::size_t i = 0; i < m_modules.size(); ++i)
            m_modules[i].retarget(plans[i]);
    }
    void copyModules(const StepRun& other) noexcept override {
        if (const auto* before = dynamic_cast<const LimiterStep*>(&other))
            for (auto& mine : m_modules)
                for (const auto& theirs : before->m_modules)
                    if (mine.plan().module == theirs.plan().module)
                        mine.copyStateFrom(theirs);
    }
    void reset() noexcept override {
        for (auto& limiter : m_modules)
            limiter.reset();
    }
    void process(StepBlock& block) noexcept override {
        for (auto& limiter : m_modules)
            limiter.process(block.io, block.start, block.frames);
    }
    [[nodiscard]] SectionRun& sections() noexcept override { return m_sections; }
    [[nodiscard]] float takeLeastCeilingGain() noexcept override {
        float least = 1;
        for (auto& limiter : m_modules)
            least = std::min(least, limiter.takeLeastGain());
        return least;
    }

  private:
    SectionRun m_sections; ///< none
    std::vector<LimiterRun> m_modules;
};

/// Makes a step of what a plan says: an overload for each sort.
struct StepMaker {
    const StepPlan& step;
    const StepContext& context;
    using Made = std::unique_ptr<StepRun>;

    Made operator()(const OnLanes&) const {
        return std::make_unique<FilterStep>(step, OnMiddlesAndSides{}, context);
    }
    Made operator()(const OnMiddlesAndSides& pairs) const {
        return std::make_unique<FilterStep>(step, pairs, context);
    }
    Made operator()(const std::vector<LimiterPlan>& plans) const {
        return std::make_unique<LimiterStep>(step, plans, context);
    }
    template <class Settings> Made operator()(const std::vector<LanePlan<Settings>>& plans) const {
        return std::make_unique<LaneStep<LanesOf<Settings>>>(step, plans, context);
    }
};

} // namespace

std::unique_ptr<StepRun> makeStepRun(const StepPlan& plan, const StepContext& context) {
    return std::visit(StepMaker{plan, context}, plan.what);
}

} // namespace cask::graph
