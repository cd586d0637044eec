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
    m_averageShare = 1.0 / m_lookahead;
    set({});
    reset();
}

void Ceiling::set(const CeilingSettings& settings) {
    m_ceilingLinear = dbToLinear(settings.ceilingDb);
    m_release = 1 - std::exp(-1 / (std::max(1.0, settings.releaseMs) * 0.001 * m_rateHz));
}

void Ceiling::reset() {
    for (auto& finder : m_finders)
        finder.reset();
    std::fill(m_delay.begin(), m_delay.end(), 0.0F);
    m_delayAt = 0;
    m_leastFirst = 0;
    m_leastCount = 0;
    m_frame = 0;
    m_follow = 1;
    std::fill(m_average.begin(), m_average.end(), 1.0);
    m_averageAt = 0;
    m_averageSum = static_cast<double>(m_average.size());
    m_openFrames = m_lookahead;
    m_leastGain = 1;
}

void Ceiling::copyStateFrom(const Ceiling& other) noexcept {
    const double ceiling = m_ceilingLinear;
    const double release = m_release;
    *this = other; // equal sizes: vectors copy into the memory they have
    m_ceilingLinear = ceiling;
    m_release = release;
}

bool Ceiling::neededGains(const float* left, const float* right, int stride, int frames,
                          double* needed) noexcept {
    const auto limit = static_cast<float>(m_ceilingLinear);
    std::array<std::array<float, kPiece>, 2> peaks;
    const bool isLoudLeft = m_finders[0].find(left, stride, frames, limit, peaks[0].data());
    const bool isLoudRight = m_finders[1].find(right, stride, frames, limit, peaks[1].data());
    if (!isLoudLeft && !isLoudRight)
        return false;
    bool any = false;
    for (int n = 0; n < frames; ++n) {
        const auto i = static_cast<std::size_t>(n);
        const double peak = std::max(isLoudLeft ? peaks[0][i] : 0, isLoudRight ? peaks[1][i] : 0);
        needed[n] = peak > m_ceilingLinear ? m_ceilingLinear / peak : 1;
        any = any || needed[n] < 1;
    }
    return any;
}

double Ceiling::heldLeast(double gain) noexcept {
    const int size = static_cast<int>(m_least.size());
    const auto place = [&](int i) {
        const int at = m_leastFirst + i;
        return static_cast<std::size_t>(at >= size ? at - size : at);
    };
    if (m_leastCount > 0 && m_least[place(0)].frame <= m_frame - m_lookahead - 2) {
        m_leastFirst = m_leastFirst + 1 == size ? 0 : m_leastFirst + 1;
        --m_leastCount;
    }
    if (gain < 1) { // an open gain is never the least, so it needs no place
        while (m_leastCount > 0 && m_least[place(m_leastCount - 1)].gain >= gain)
            --m_leastCount;
        m_least[place(m_leastCount++)] = {gain, m_frame};
    }
    ++m_frame;
    return m_leastCount > 0 ? m_least[static_cast<std::size_t>(m_leastFirst)].gain : 1;
}

float Ceiling::nextGain(double least) noexcept {
    m_follow = std::min(least, m_release + m_follow * (1 - m_release));
    if (m_follow > 1 - 1e-7)
        m_follow = least;
    m_openFrames = m_follow < 1 ? 0 : std::min(m_openFrames + 1, m_lookahead);
    double& oldest = m_average[static_cast<std::size_t>(m_averageAt)];
    m_averageSum += m_follow - oldest;
    oldest = m_follow;
    m_averageAt = m_averageAt + 1 == m_lookahead ? 0 : m_averageAt + 1;
    if (m_openFrames == m_lookahead)
        m_averageSum = m_lookahead; // exactly, whatever was rounded on the way
    return std::min(1.0F, static_cast<float>(m_averageSum * m_averageShare));
}

void Ceiling::delayFrame(float& left, float& right, float gain) noexcept {
    float* held = m_delay.data() + 2 * m_delayAt;
    m_delayAt = m_delayAt + 1 == latencyFrames() ? 0 : m_delayAt + 1;
    const float outLeft = held[0] * gain;
    const float outRight = held[1] * gain;
    held[0] = left;
    held[1] = right;
    left = outLeft;
    right = outRight;
}

void Ceiling::process(float* left, float* right, int stride, int frames) noexcept {
    std::array<double, kPiece> needed;
    std::array<double, kPiece> least;
    for (int at = 0; at < frames; at += kPiece) {
        const int count = std::min(kPiece, frames - at);
        float* l = left + at * stride;
        float* r = right + at * stride;
        const bool asks = neededGains(l, r, stride, count, needed.data());
        if (!asks && m_openFrames == m_lookahead) {
            // Open, and every gain that is still remembered is 1.
            m_leastCount = 0;
            m_frame += count;
            for (int n = 0; n < count; ++n)
                delayFrame(l[n * stride], r[n * stride], 1);
            continue;
        }
        for (int n = 0; n < count; ++n)
            least[static_cast<std::size_t>(n)] = heldLeast(asks ? needed[static_cast<std::size_t>(n)] : 1);
        for (int n = 0; n < count; ++n) {
            const float gain = nextGain(least[static_cast<std::size_t>(n)]);
            m_leastGain = std::min(m_leastGain, gain);
            delayFrame(l[n * stride], r[n * stride], gain);
        }
    }
}

float Ceiling::takeLeastGain() noexcept {
    const float least = m_leastGain;
    m_leastGain = 1;
    return least;
}

} // namespace cask::dsp
