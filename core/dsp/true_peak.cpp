#include "core/dsp/true_peak.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>

namespace cask::dsp {

PeakInterpolator::PeakInterpolator() {
    constexpr double kBeta = 8;
    for (int phase = 0; phase < kPhases; ++phase) {
        double sum = 0;
        std::array<double, kTaps> taps{};
        for (int t = 0; t < kTaps; ++t) {
            const double x = t - kDelayFrames + static_cast<double>(phase) / kPhases;
            const double sinc = std::abs(x) < 1e-12 ? 1 : std::sin(kPi * x) / (kPi * x);
            const double r = std::min(1.0, std::abs(x) / kDelayFrames);
            taps[static_cast<std::size_t>(t)] = sinc * std::cyl_bessel_i(0, kBeta * std::sqrt(1 - r * r));
            sum += taps[static_cast<std::size_t>(t)];
        }
        float bound = 0;
        for (std::size_t t = 0; t < kTaps; ++t) {
            const auto tap = static_cast<float>(taps[t] / sum);
            m_taps[static_cast<std::size_t>(phase)][kTaps - 1 - t] = tap;
            bound += std::abs(tap);
        }
        m_bound = std::max(m_bound, bound);
    }
}

float PeakInterpolator::peak(const float* oldest) const noexcept {
    float greatest = 0;
    for (const auto& taps : m_taps) {
        float sum = 0;
        for (std::size_t t = 0; t < kTaps; ++t)
            sum += taps[t] * oldest[t];
        greatest = std::max(greatest, std::abs(sum));
    }
    return greatest;
}

void TruePeakMeter::add(std::span<const float> samples, int stride) noexcept {
    constexpr int kTaps = PeakInterpolator::kTaps;
    for (std::size_t i = 0; i < samples.size(); i += static_cast<std::size_t>(stride)) {
        const float x = samples[i];
        m_history[static_cast<std::size_t>(m_at)] = x;
        m_history[static_cast<std::size_t>(m_at + kTaps)] = x;
        m_at = m_at + 1 == kTaps ? 0 : m_at + 1;
        const float size = std::abs(x);
        m_peak = std::max(m_peak, size);
        if (size * m_interpolator.bound() > m_peak)
            m_loudFrames = kTaps;
        if (m_loudFrames > 0) {
            --m_loudFrames;
            m_peak = std::max(m_peak, m_interpolator.peak(m_history.data() + m_at));
        }
    }
}

} // namespace cask::dsp
