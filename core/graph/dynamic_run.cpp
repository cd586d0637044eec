#include "core/graph/dynamic_run.h"

#include <algorithm>
#include <utility>

namespace cask::graph {

using dsp::kLanes;

DynamicRun::DynamicRun(const DynamicPlan& plan, const StepContext& context)
    : m_plan(&plan), m_glideFrames(context.glideFrames),
      m_key(plan.key, plan.lane, plan.lanes, context.mostFrames), m_clock(plan.moments),
      m_bands(plan.settings.size()), m_ring(static_cast<std::size_t>(2 * plan.waitFrames)) {
    for (std::size_t i = 0; i < m_bands.size(); ++i)
        m_bands[i].prepare(plan.settings[i], context.sampleRateHz);
}

void DynamicRun::setBands(const DynamicBandDesigns& designs, int glideFrames) noexcept {
    for (std::size_t i = 0; i < m_bands.size(); ++i)
        m_bands[i].set(designs[i], glideFrames);
}

void DynamicRun::settle(Frames frame, int glideFrames) noexcept {
    const auto past = m_clock.settle(frame);
    setBands(past.empty() ? m_plan->settings : past.back().value, glideFrames);
}

void DynamicRun::takeOver(DynamicRun& before) noexcept {
    std::swap(m_bands, before.m_bands);
    settle(before.m_clock.expected(), m_glideFrames);
    m_key.takeOver(before.m_key);
    std::swap(m_ring, before.m_ring);
    m_at = before.m_at;
}

void DynamicRun::copyStateFrom(const DynamicRun& before) noexcept {
    for (std::size_t i = 0; i < m_bands.size(); ++i)
        for (std::size_t j = 0; j < before.m_bands.size(); ++j)
            if (m_plan->settings[i].band.id == before.m_plan->settings[j].band.id)
                m_bands[i].copyStateFrom(before.m_bands[j], 0);
}

void DynamicRun::reset() noexcept {
    for (auto& band : m_bands)
        band.reset();
    m_clock.forget();
    m_key.reset();
    std::fill(m_ring.begin(), m_ring.end(), 0.0F);
    m_at = 0;
}

void DynamicRun::wait(float* sound, int frames) noexcept {
    if (m_plan->waitFrames == 0)
        return;
    float* io = sound + m_plan->lane;
    for (int n = 0; n < frames; ++n, io += kLanes) {
        for (int c = 0; c < m_plan->lanes; ++c)
            std::swap(io[c], m_ring[static_cast<std::size_t>(2 * m_at + c)]);
        m_at = m_at + 1 == m_plan->waitFrames ? 0 : m_at + 1;
    }
}

void DynamicRun::process(float* sound, const float* own, const float* key, Frames start,
                         int frames) noexcept {
    const bool isPair = m_plan->lanes == 2;
    if (m_clock.isJump(start) && !m_plan->moments.empty())
        settle(start, 0);
    for (int done = 0; done < frames;) {
        while (const auto* moment = m_clock.take(start + done))
            setBands(moment->value, moment->glideFrames);
        const int n = m_clock.untilNext(start + done, frames - done);
        const std::ptrdiff_t at = static_cast<std::ptrdiff_t>(done) * kLanes + m_plan->lane;
        float* io = sound + at;
        for (std::size_t i = 0; i < m_bands.size(); ++i) {
            const float* heard = (m_plan->settings[i].band.isKeyed && key != nullptr ? key : own) + at;
            m_bands[i].process({io, isPair ? io + 1 : nullptr}, {heard, isPair ? heard + 1 : nullptr}, kLanes,
                               n);
        }
        done += n;
    }
    m_clock.standAt(start + frames);
}

float DynamicRun::movedDb(Id band) const noexcept {
    for (std::size_t i = 0; i < m_bands.size(); ++i)
        if (m_plan->settings[i].band.id == band)
            return m_bands[i].movedDb();
    return 0;
}

} // namespace cask::graph
