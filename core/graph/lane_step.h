// A step of modules that run eight lanes side by side.
#pragma once

#include "core/graph/step_run.h"
#include "core/session/kinds.h"

#include <algorithm>
#include <utility>
#include <vector>

namespace cask::graph {

/// `Lanes` is what runs them all at once (dsp::GateLanes, dsp::DynamicLanes): place, prepare, set,
/// copyLanes, reset, process, hearsApart, gainNow.
template <class Lanes> class LaneStep final : public StepRun {
  public:
    using Plan = LanePlan<typename Lanes::Settings>;

    LaneStep(const StepPlan& step, const std::vector<Plan>& plans, const StepContext& context)
        : m_context(context), m_sections(step, context.glideFrames), m_lanes(context.sampleRateHz) {
        bool hearsOther = !m_sections.isEmpty();
        for (const auto& plan : plans) {
            m_modules.emplace_back(plan, context.mostFrames);
            m_lanes.place(plan.lane, plan.lanes, plan.settings, plan.isOn, plan.waitFrames);
            hearsOther = hearsOther || !plan.key.isOwn();
        }
        m_lanes.prepare();
        prepareListening(plans);
        if (hearsOther || m_lanes.hearsApart())
            m_heard.resize(static_cast<std::size_t>(context.mostFrames) * dsp::kLanes);
    }

    void retarget(const StepPlan& step) noexcept override {
        m_sections.retarget(step, m_context.glideFrames);
        const auto& plans = std::get<std::vector<Plan>>(step.what);
        for (std::size_t i = 0; i < m_modules.size(); ++i) {
            m_modules[i].follow(plans[i]);
            settle(m_modules[i], m_modules[i].clock.expected(), m_context.glideFrames);
        }
    }

    void copyModules(const StepRun& other) noexcept override {
        const auto* before = dynamic_cast<const LaneStep*>(&other);
        if (before == nullptr)
            return;
        for (auto& mine : m_modules)
            for (const auto& theirs : before->m_modules)
                if (mine.plan->module == theirs.plan->module && mine.plan->lanes == theirs.plan->lanes) {
                    m_lanes.copyLanes(mine.plan->lane, before->m_lanes, theirs.plan->lane, mine.plan->lanes);
                    settle(mine, theirs.clock.expected(), m_context.glideFrames);
                }
    }

    void reset() noexcept override {
        m_sections.reset();
        for (auto& module : m_modules) {
            module.key.reset();
            module.clock.forget();
            m_lanes.set(module.plan->lane, module.plan->settings, module.plan->isOn, 0);
        }
        m_lanes.reset();
        m_keptDelay.reset();
    }

    void process(StepBlock& block) noexcept override {
        const float* heard = block.io;
        if (!m_heard.empty()) {
            std::copy_n(block.io, block.frames * dsp::kLanes, m_heard.data());
            for (auto& module : m_modules)
                if (!module.plan->key.isOwn())
                    block.fillKey(module.key, m_heard.data());
            if (!m_sections.isEmpty())
                m_sections.process(*m_context.kernels, m_heard.data(), block.start, block.frames);
            heard = m_heard.data();
        }
        for (auto& module : m_modules)
            if (module.clock.isJump(block.start))
                settle(module, block.start, 0);
        if (m_isListenedTo)
            keepForListening(block, heard);
        for (int done = 0; done < block.frames;) {
            int n = block.frames - done;
            for (auto& module : m_modules) {
                while (const auto* moment = module.clock.take(block.start + done))
                    m_lanes.set(module.plan->lane, moment->value, module.plan->isOn, moment->glideFrames);
                n = module.clock.untilNext(block.start + done, n);
            }
            const std::ptrdiff_t at = static_cast<std::ptrdiff_t>(done) * dsp::kLanes;
            if constexpr (requires { m_lanes.standAt(Frames{}); })
                m_lanes.standAt(block.start + done);
            m_lanes.process(heard + at, block.io + at, n);
            done += n;
        }
        if (m_isListenedTo)
            listen(block);
        for (auto& module : m_modules)
            module.clock.standAt(block.start + block.frames);
    }

    [[nodiscard]] SectionRun& sections() noexcept override { return m_sections; }
    [[nodiscard]] float gainOf(Stage stage, int lane) const noexcept override {
        if constexpr (requires { m_lanes.gainNow(lane); })
            return session::KindOf<typename Lanes::Settings>::stage == stage ? m_lanes.gainNow(lane) : 1;
        else
            return 1;
    }
    [[nodiscard]] float movedDb(Id band) const noexcept override {
        if constexpr (requires { m_lanes.movedDb(band); })
            return m_lanes.movedDb(band);
        else
            return 0;
    }

  private:
    struct Module {
        Module(const Plan& from, int mostFrames)
            : plan(&from), clock(from.moments), key(from.key, from.lane, from.lanes, mostFrames) {}
        void follow(const Plan& other) noexcept {
            plan = &other;
            clock.follow(other.moments);
            key.follow(other.key);
        }
        const Plan* plan;
        MomentClock<Moment<typename Lanes::Settings>> clock;
        KeyRun key;
    };

    /// Lanes on which a person hears the detector or what is taken away wait for the gain as the sound does.
    void prepareListening(const std::vector<Plan>& plans) {
        std::array<int, dsp::kLanes> delays{};
        for (const auto& plan : plans) {
            if (plan.output == ModuleOutput::Sound)
                continue;
            m_isListenedTo = true;
            for (int lane = plan.lane; lane < plan.lane + plan.lanes; ++lane)
                delays[static_cast<std::size_t>(lane)] =
                    Lanes::latencyFrames(plan.settings, m_context.sampleRateHz) + plan.waitFrames;
        }
        m_keptDelay.prepare(delays);
        if (m_isListenedTo)
            m_kept.resize(static_cast<std::size_t>(m_context.mostFrames) * dsp::kLanes);
    }
    template <class Act> void forEachListened(const Act& act) {
        for (const auto& module : m_modules)
            if (module.plan->output != ModuleOutput::Sound)
                for (int lane = module.plan->lane; lane < module.plan->lane + module.plan->lanes; ++lane)
                    act(module.plan->output, lane);
    }
    void keepForListening(const StepBlock& block, const float* heard) noexcept {
        forEachListened([&](ModuleOutput output, int lane) {
            const float* from = output == ModuleOutput::Detector ? heard : block.io;
            for (int n = lane; n < block.frames * dsp::kLanes; n += dsp::kLanes)
                m_kept[static_cast<std::size_t>(n)] = from[n];
        });
        if (m_keptDelay.tapCount > 0)
            m_context.kernels->delay(m_keptDelay, m_kept.data(), block.frames);
    }
    void listen(const StepBlock& block) noexcept {
        forEachListened([&](ModuleOutput output, int lane) {
            for (int n = lane; n < block.frames * dsp::kLanes; n += dsp::kLanes) {
                const float kept = m_kept[static_cast<std::size_t>(n)];
                block.io[n] = output == ModuleOutput::Detector ? kept : kept - block.io[n];
            }
        });
    }

    /// What holds at a frame.
    void settle(Module& module, Frames frame, int glideFrames) noexcept {
        const auto past = module.clock.settle(frame);
        m_lanes.set(module.plan->lane, past.empty() ? module.plan->settings : past.back().value,
                    module.plan->isOn, glideFrames);
    }

    StepContext m_context;
    SectionRun m_sections; ///< of the detectors
    Lanes m_lanes;
    std::vector<Module> m_modules;
    dsp::LaneBuffer m_heard; ///< empty where it is the sound itself
    bool m_isListenedTo = false;
    dsp::LaneBuffer m_kept; ///< of lanes that are listened to
    dsp::LaneDelay m_keptDelay;
};

} // namespace cask::graph
