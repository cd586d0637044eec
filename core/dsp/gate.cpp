#include "core/dsp/gate.h"

#include "core/dsp/detector_cuts.h"
#include "core/dsp/eq_design.h"

#include <algorithm>
#include <cmath>

namespace cask::dsp {
int gateLatency(const GateSettings& s, double sampleRateHz) {
    return static_cast<int>(std::lround(s.lookAheadMs * 0.001 * sampleRateHz));
}

std::vector<EqBand> detectorBands(const GateSettings& s) {
    return detectorCuts(s.lowCutHz, s.highCutHz, s.cutSlopeDbPerOct);
}

std::vector<SvfCoefficients> designDetectorFilter(const GateSettings& s, double sampleRateHz) {
    std::vector<SvfCoefficients> sections;
    for (const auto& band : detectorBands(s))
        for (const auto& c : designBand(band, sampleRateHz))
            sections.push_back(c);
    return sections;
}

void Gate::prepare(double sampleRateHz, int channels, const GateSettings& settings, int waitFrames) {
    m_channels = channels;
    m_latency = gateLatency(settings, sampleRateHz) + waitFrames;
    m_gain.prepare(sampleRateHz, settings);
    m_reach = settings.reach;
    for (int c = 0; c < channels; ++c) {
        m_ring[static_cast<std::size_t>(c)].assign(static_cast<std::size_t>(m_latency), 0);
        m_reachFilters[static_cast<std::size_t>(c)].set(settings, sampleRateHz);
    }
    m_ringAt = 0;
}

void Gate::set(const GateSettings& settings, bool isOn, GateOutput output, int glideFrames) noexcept {
    m_gain.set(settings, glideFrames);
    m_output = output;
    m_isOn = isOn;
    m_offStep = glideFrames > 0 ? 1.0F / static_cast<float>(glideFrames) : 1;
    if (glideFrames == 0)
        m_offShare = isOn ? 0 : 1;
}

void Gate::reset() noexcept {
    m_gain.reset();
    for (auto& filter : m_reachFilters)
        filter.reset();
    for (auto& ring : m_ring)
        std::fill(ring.begin(), ring.end(), 0.0F);
    m_ringAt = 0;
    m_offShare = m_isOn ? 0 : 1;
}

void Gate::copyStateFrom(const Gate& other, int glideFrames) noexcept {
    m_gain.copyStateFrom(other.m_gain, glideFrames);
    m_offShare = other.m_offShare;
    m_offStep = glideFrames > 0 ? 1.0F / static_cast<float>(glideFrames) : 1;
    for (std::size_t c = 0; c < 2; ++c) {
        if (m_reach == other.m_reach)
            m_reachFilters[c].copyStateFrom(other.m_reachFilters[c]);
        if (m_ring[c].size() == other.m_ring[c].size())
            std::copy(other.m_ring[c].begin(), other.m_ring[c].end(), m_ring[c].begin());
    }
    m_ringAt = m_latency == other.m_latency ? other.m_ringAt : 0;
}

void Gate::delay(float* sound, int stride, int channel, int frames) noexcept {
    auto& ring = m_ring[static_cast<std::size_t>(channel)];
    int at = m_ringAt;
    for (int n = 0; n < frames; ++n) {
        std::swap(sound[static_cast<std::ptrdiff_t>(n) * stride], ring[static_cast<std::size_t>(at)]);
        at = at + 1 == m_latency ? 0 : at + 1;
    }
}

bool Gate::switchGains(bool isOneGain, int frames) noexcept {
    const float goal = m_isOn ? 0.0F : 1.0F;
    if (m_offShare == goal) {
        if (m_isOn)
            return isOneGain;
        m_gains[0] = 1;
        return true;
    }
    if (isOneGain)
        std::fill_n(m_gains.begin() + 1, frames - 1, m_gains[0]);
    for (int n = 0; n < frames; ++n) {
        m_offShare += std::clamp(goal - m_offShare, -m_offStep, m_offStep);
        float& gain = m_gains[static_cast<std::size_t>(n)];
        gain += m_offShare * m_offShare * (3 - 2 * m_offShare) * (1 - gain);
    }
    return false;
}

void Gate::process(const std::array<float*, 2>& sound, const std::array<const float*, 2>& detectors,
                   int stride, int frames) noexcept {
    for (int n = 0; n < frames; ++n)
        m_mono[static_cast<std::size_t>(n)] = detectors[0][static_cast<std::ptrdiff_t>(n) * stride];
    if (detectors[1] != nullptr)
        for (int n = 0; n < frames; ++n) {
            float& x = m_mono[static_cast<std::size_t>(n)];
            const float other = detectors[1][static_cast<std::ptrdiff_t>(n) * stride];
            x = std::abs(other) > std::abs(x) ? other : x;
        }
    const bool isOneGain = switchGains(m_gain.process(m_mono.data(), m_gains.data(), frames), frames);
    m_gainNow = m_gains[static_cast<std::size_t>(isOneGain ? 0 : frames - 1)];
    for (int c = 0; c < m_channels; ++c) {
        float* io = sound[static_cast<std::size_t>(c)];
        if (m_output == GateOutput::Detector)
            for (int n = 0; n < frames; ++n)
                io[static_cast<std::ptrdiff_t>(n) * stride] =
                    detectors[static_cast<std::size_t>(c)][static_cast<std::ptrdiff_t>(n) * stride];
        if (m_latency > 0)
            delay(io, stride, c, frames);
        if (m_output == GateOutput::Detector)
            continue;
        const bool isRemoved = m_output == GateOutput::Removed;
        for (int n = 0; isRemoved && n < frames; ++n)
            m_dry[static_cast<std::size_t>(n)] = io[static_cast<std::ptrdiff_t>(n) * stride];
        if (m_reach != GateReach::All)
            m_reachFilters[static_cast<std::size_t>(c)].process(io, stride, m_gains.data(), isOneGain,
                                                                frames);
        else if (!isOneGain)
            for (int n = 0; n < frames; ++n)
                io[static_cast<std::ptrdiff_t>(n) * stride] *= m_gains[static_cast<std::size_t>(n)];
        else if (m_gains[0] != 1)
            for (int n = 0; n < frames; ++n)
                io[static_cast<std::ptrdiff_t>(n) * stride] *= m_gains[0];
        for (int n = 0; isRemoved && n < frames; ++n) {
            float& x = io[static_cast<std::ptrdiff_t>(n) * stride];
            x = m_dry[static_cast<std::size_t>(n)] - x;
        }
    }
    if (m_latency > 0)
        m_ringAt = (m_ringAt + frames) % m_latency;
}

} // namespace cask::dsp
