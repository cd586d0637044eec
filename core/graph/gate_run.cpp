#include "core/graph/gate_run.h"

#include <algorithm>
#include <utility>

namespace cask::graph {

using dsp::kLanes;

GateRun::GateRun(const GatePlan& plan, double sampleRateHz, int mostFrames, int glideFrames)
    : m_plan(&plan), m_glideFrames(glideFrames), m_key(plan.key, plan.lane, plan.lanes, mostFrames) {
    m_gate.prepare(sampleRateHz, plan.lanes, plan.settings, plan.waitFrames);
    settle(kNowhere, 0);
}

const dsp::GateSettings& GateRun::settingsAt(Frames frame) const noexcept {
    const dsp::GateSettings* settings = &m_plan->settings;
    for (const auto& moment : m_plan->moments)
        if (moment.frame <= frame)
            settings = &moment.settings;
    return *settings;
}

void GateRun::settle(Frames frame, int glideFrames) noexcept {
    m_expected = frame;
    m_gate.set(settingsAt(frame), m_plan->isOn, m_plan->output, glideFrames);
    m_next = 0;
    while (m_next < m_plan->moments.size() && m_plan->moments[m_next].frame <= frame)
        ++m_next;
}

void GateRun::takeOver(GateRun& before) noexcept {
    std::swap(m_gate, before.m_gate);
    m_key.takeOver(before.m_key);
    settle(before.m_expected, m_glideFrames);
}

void GateRun::copyStateFrom(const GateRun& before) noexcept {
    if (m_plan->lanes != before.m_plan->lanes)
        return;
    m_gate.copyStateFrom(before.m_gate, 0);
    settle(before.m_expected, m_glideFrames);
}

void GateRun::reset() noexcept {
    m_gate.reset();
    m_key.reset();
    settle(kNowhere, 0);
}

void GateRun::process(float* sound, const float* detectors, Frames start, int frames) noexcept {
    const Frames first = start - m_plan->before;
    if (first != m_expected)
        settle(first, 0);
    for (int done = 0; done < frames;) {
        int n = std::min(frames - done, dsp::Gate::kPiece);
        while (m_next < m_plan->moments.size() && m_plan->moments[m_next].frame <= first + done) {
            const GateMoment& moment = m_plan->moments[m_next++];
            m_gate.set(moment.settings, m_plan->isOn, m_plan->output, moment.glideFrames);
        }
        if (m_next < m_plan->moments.size())
            n = static_cast<int>(std::min<Frames>(n, m_plan->moments[m_next].frame - (first + done)));
        float* io = sound + done * kLanes + m_plan->lane;
        const float* detector = detectors + done * kLanes + m_plan->lane;
        const bool isPair = m_plan->lanes == 2;
        m_gate.process({io, isPair ? io + 1 : nullptr}, {detector, isPair ? detector + 1 : nullptr}, kLanes,
                       n);
        done += n;
    }
    m_expected = first + frames;
}

} // namespace cask::graph
