#include "core/dsp/ceiling.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>

namespace cask::dsp {

void Ceiling::prepare(double sampleRateHz) {
    m_rateHz = sampleRateHz;
    m_lookahead = static_cast<int>(std::lround(0.0015 * sampleRateHz));
    m_delay.assign(static_cast<std::size_t>(2 * latencyFrames()), 0);
    m_least.assign(static_cast<std::size_t>(m_lookahead + 3), {1, 0});
    m_average.assign(static_cast<std::size_t>(m_lookahead), 1);
    set({});
    reset();
}

void Ceiling::set(const CeilingSettings& settings) {
    m_ceilingLinear = dbToLinear(settings.ceilingDb);
    m_release = 1 - std::exp(-1 / (std::max(1.0, settings.releaseMs) * 0.001 * m_rateHz));
}

void Ceiling::reset() {
    m_history = {};
    m_historyAt = 0;
    m_loudFrames = 0;
    std::fill(m_delay.begin(), m_delay.end(), 0.0F);
    m_delayAt = 0;
    m_leastFirst = 0;
    m_leastCount = 0;
    m_frame = 0;
    m_follow = 1;
    std::fill(m_average.begin(), m_average.end(), 1.0);
    m_averageAt = 0;
    m_averageSum = static_cast<double>(m_average.size());
    m_leastGain = 1;
}

void Ceiling::copyStateFrom(const Ceiling& other) noexcept {
    const double ceiling = m_ceilingLinear;
    const double release = m_release;
    *this = other; // equal sizes: vectors copy into the memory they have
    m_ceilingLinear = ceiling;
    m_release = release;
}

double Ceiling::neededGain(float left, float right) noexcept {
    for (auto* side : {&m_history[0], &m_history[1]}) {
        const float x = side == m_history.data() ? left : right;
        (*side)[static_cast<std::size_t>(m_historyAt)] = x;
        (*side)[static_cast<std::size_t>(m_historyAt + kTaps)] = x;
    }
    m_historyAt = (m_historyAt + 1) % kTaps;
    const float sample = std::max(std::abs(left), std::abs(right));
    if (sample * m_interpolator.bound() > m_ceilingLinear)
        m_loudFrames = kTaps;
    if (m_loudFrames == 0)
        return 1;
    --m_loudFrames;
    const float* l = m_history[0].data() + m_historyAt;
    const float* r = m_history[1].data() + m_historyAt;
    const double peak = std::max(m_interpolator.peak(l), m_interpolator.peak(r));
    return peak > m_ceilingLinear ? m_ceilingLinear / peak : 1;
}

double Ceiling::heldLeast(double gain) noexcept {
    const int size = static_cast<int>(m_least.size());
    const auto at = [&](int i) -> Entry& {
        return m_least[static_cast<std::size_t>((m_leastFirst + i) % size)];
    };
    while (m_leastCount > 0 && at(m_leastCount - 1).gain >= gain)
        --m_leastCount;
    if (m_leastCount > 0 && at(0).frame <= m_frame - m_lookahead - 2) {
        m_leastFirst = (m_leastFirst + 1) % size;
        --m_leastCount;
    }
    at(m_leastCount++) = {gain, m_frame};
    ++m_frame;
    return at(0).gain;
}

void Ceiling::process(float* left, float* right, int stride, int frames) noexcept {
    const int latency = latencyFrames();
    for (int n = 0; n < frames; ++n) {
        float& l = left[n * stride];
        float& r = right[n * stride];
        const double least = heldLeast(neededGain(l, r));
        m_follow = std::min(least, m_follow + (1 - m_follow) * m_release);
        if (1 - m_follow < 1e-7)
            m_follow = std::min(least, 1.0);
        double& oldest = m_average[static_cast<std::size_t>(m_averageAt)];
        m_averageSum += m_follow - oldest;
        oldest = m_follow;
        m_averageAt = m_averageAt + 1 == m_lookahead ? 0 : m_averageAt + 1;
        const auto gain = std::min(1.0F, static_cast<float>(m_averageSum / m_lookahead));
        m_leastGain = std::min(m_leastGain, gain);
        float* held = m_delay.data() + 2 * m_delayAt;
        m_delayAt = m_delayAt + 1 == latency ? 0 : m_delayAt + 1;
        const float outL = held[0] * gain;
        const float outR = held[1] * gain;
        held[0] = l;
        held[1] = r;
        l = outL;
        r = outR;
    }
}

float Ceiling::takeLeastGain() noexcept {
    const float least = m_leastGain;
    m_leastGain = 1;
    return least;
}

} // namespace cask::dsp
