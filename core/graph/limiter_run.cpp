#include "core/graph/limiter_run.h"

#include <utility>

namespace cask::graph {

using dsp::kLanes;

LimiterRun::LimiterRun(const LimiterPlan& plan, double sampleRateHz, int mostFrames)
    : m_plan(&plan), m_silent(plan.lanes == 2 ? 0 : static_cast<std::size_t>(mostFrames) * kLanes),
      m_clock(plan.moments) {
    m_limiter.prepare(sampleRateHz, plan.settings.lookAheadMs);
    m_limiter.set(plan.settings);
}

void LimiterRun::settle(Frames frame) noexcept {
    const auto past = m_clock.settle(frame);
    m_limiter.set(past.empty() ? m_plan->settings : past.back().value);
}

void LimiterRun::retarget(const LimiterPlan& plan) noexcept {
    m_plan = &plan;
    m_clock.follow(plan.moments);
    settle(m_clock.expected());
}

void LimiterRun::reset() noexcept {
    m_limiter.reset();
    m_clock.forget();
}

void LimiterRun::process(float* sound, Frames start, int frames) noexcept {
    if (m_clock.isJump(start))
        settle(start);
    for (int done = 0; done < frames;) {
        while (const auto* moment = m_clock.take(start + done))
            m_limiter.set(moment->value);
        const int n = m_clock.untilNext(start + done, frames - done);
        float* left = sound + static_cast<std::ptrdiff_t>(done) * kLanes + m_plan->lane;
        m_limiter.process(left, m_silent.empty() ? left + 1 : m_silent.data(), kLanes, n);
        done += n;
    }
    m_clock.standAt(start + frames);
}

} // namespace cask::graph
