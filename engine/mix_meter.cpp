#include "engine/mix_meter.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>

namespace cask::engine {
namespace {

constexpr double kCorrelationS = 0.4;

} // namespace

MixMeter::MixMeter(double sampleRateHz)
    : m_loudness(sampleRateHz, 2), m_step(1 - std::exp(-1 / (kCorrelationS * sampleRateHz))) {}

void MixMeter::add(std::span<const float> block) {
    m_loudness.add(block);
    for (std::size_t side = 0; side < 2; ++side)
        m_peaks[side].add(block.subspan(side), 2);
    for (std::size_t n = 0; n + 1 < block.size(); n += 2) {
        const double left = block[n];
        const double right = block[n + 1];
        m_left += m_step * (left * left - m_left);
        m_right += m_step * (right * right - m_right);
        m_both += m_step * (left * right - m_both);
    }
}

void MixMeter::restart() {
    m_loudness.reset();
    m_left = m_right = m_both = 0;
}

double MixMeter::heldPeakDb() const {
    return linearToDb(static_cast<double>(std::max(m_peaks[0].peak(), m_peaks[1].peak())));
}

void MixMeter::clearHeldPeak() {
    for (auto& peak : m_peaks)
        peak.clearPeak();
}

double MixMeter::correlation() const {
    constexpr double kSilence = 1e-12; // mean square, -120 dBFS
    return m_left > kSilence && m_right > kSilence ? m_both / std::sqrt(m_left * m_right) : 0;
}

} // namespace cask::engine
