#include "core/graph/gate_run.h"

#include <algorithm>
#include <utility>

namespace cask::graph {

using dsp::kLanes;

GateRun::GateRun(const GatePlan& plan, double sampleRateHz, int mostFrames, int glideFrames)
    : m_plan(&plan), m_glideFrames(glideFrames), m_clock(plan.moments),
      m_key(plan.key, plan.lane, plan.lanes, mostFrames) {
    m_gate.prepare(sampleRateHz, plan.lanes, plan.settings, plan.waitFrames);
    m_gate.set(plan.settings, plan.isOn, plan.output, 0);
}

void GateRun::settle(Frames frame, int glideFrames) noexcept {
    const auto past = m_clock.settle(frame);
    m_gate.set(past.empty() ? m_plan->settings : past.back().value, m_plan->isOn, m_plan->output,
               glideFrames);
}

void GateRun::takeOver(GateRun& before) noexcept {
    std::swap(m_gate, before.m_gate);
    m_key.takeOver(before.m_key);
    settle(before.m_clock.expected(), m_glideFrames);
}

void GateRun::copyStateFrom(const GateRun& before) noexcept {
    if (m_plan->lanes != before.m_plan->lanes)
        return;
    m_gate.copyStateFrom(before.m_gate, 0);
    settle(before.m_clock.expected(), m_glideFrames);
}

void GateRun::reset() noexcept {
    m_gate.reset();
    m_key.reset();
    m_clock.forget();
    m_gate.set(m_plan->settings, m_plan->isOn, m_plan->output, 0);
}

void GateRun::process(float* sound, const float* detectors, Frames start, int frames) noexcept {
    if (m_clock.isJump(start))
        settle(start, 0);
    for (int done = 0; done < frames;) {
        while (const auto* moment = m_clock.take(start + done))
            m_gate.set(moment->value, m_plan->isOn, m_plan->output, moment->glideFrames);
        const int n = m_clock.untilNext(start + done, std::min(frames - done, dsp::Gate::kPiece));
        float* io = sound + done * kLanes + m_plan->lane;
        const float* detector = detectors + done * kLanes + m_plan->lane;
        const bool isPair = m_plan->lanes == 2;
        m_gate.process({io, isPair ? io + 1 : nullptr}, {detector, isPair ? detector + 1 : nullptr}, kLanes,
                       n);
        done += n;
    }
    m_clock.standAt(start + frames);
}

} // namespace cask::graph
