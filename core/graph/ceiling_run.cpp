#include "core/graph/ceiling_run.h"

#include <utility>

namespace cask::graph {

using dsp::kLanes;

CeilingRun::CeilingRun(const CeilingPlan& plan, double sampleRateHz, int mostFrames)
    : m_plan(&plan), m_silent(plan.lanes == 2 ? 0 : static_cast<std::size_t>(mostFrames) * kLanes),
      m_clock(plan.moments) {
    m_ceiling.prepare(sampleRateHz);
    m_ceiling.set(plan.settings);
}

void CeilingRun::settle(Frames frame) noexcept {
    const auto past = m_clock.settle(frame);
    m_ceiling.set(past.empty() ? m_plan->settings : past.back().value);
}

void CeilingRun::retarget(const CeilingPlan& plan) noexcept {
    m_plan = &plan;
    m_clock.follow(plan.moments);
    settle(m_clock.expected());
}

void CeilingRun::reset() noexcept {
    m_ceiling.reset();
    m_clock.forget();
}

void CeilingRun::process(float* sound, Frames start, int frames) noexcept {
    if (m_clock.isJump(start))
        settle(start);
    for (int done = 0; done < frames;) {
        while (const auto* moment = m_clock.take(start + done))
            m_ceiling.set(moment->value);
        const int n = m_clock.untilNext(start + done, frames - done);
        float* left = sound + static_cast<std::ptrdiff_t>(done) * kLanes + m_plan->lane;
        m_ceiling.process(left, m_silent.empty() ? left + 1 : m_silent.data(), kLanes, n);
        done += n;
    }
    m_clock.standAt(start + frames);
}

} // namespace cask::graph
