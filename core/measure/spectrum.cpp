#include "core/measure/spectrum.h"

#include "core/measure/fft_planner.h"

#include <fftw3.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace cask::measure {

double Spectrum::pointHz(int point) {
    static const auto kPoints = [] {
        std::array<double, kSpectrumPoints> hz{};
        for (int i = 0; i < kSpectrumPoints; ++i)
            hz[static_cast<std::size_t>(i)] =
                kLowestHz * std::pow(2.0, static_cast<double>(i) / kPointsPerOctave);
        return hz;
    }();
    return kPoints[static_cast<std::size_t>(point)];
}

double Spectrum::levelBetween(double fromHz, double toHz) const {
    double power = 0;
    for (int i = 0; i < static_cast<int>(bandDb.size()); ++i)
        if (pointHz(i) >= fromHz && pointHz(i) < toHz)
            power += std::pow(10.0, bandDb[static_cast<std::size_t>(i)] / 10);
    return powerToDb(power);
}

double Spectrum::thirdOctaveDb(double centreHz) const {
    const double half = std::pow(2.0, 1.0 / 6);
    return levelBetween(centreHz / half, centreHz * half);
}

SpectrumMeter::SpectrumMeter(double sampleRateHz, int channels)
    : m_sampleRateHz(sampleRateHz),
      m_size(sampleRateHz > 50000 ? (sampleRateHz > 100000 ? 65536 : 32768) : 16384),
      m_pending(static_cast<std::size_t>(channels)), m_window(m_size), m_power(m_size / 2 + 1, 0) {
    for (std::size_t i = 0; i < m_size; ++i)
        m_window[i] = static_cast<float>(
            0.5 - 0.5 * std::cos(2 * kPi * static_cast<double>(i) / static_cast<double>(m_size)));
    m_in = fftwf_alloc_real(m_size);
    m_out = reinterpret_cast<float*>(fftwf_alloc_complex(m_size / 2 + 1));
    const std::lock_guard lock(fftPlannerMutex());
    m_plan = fftwf_plan_dft_r2c_1d(static_cast<int>(m_size), m_in, reinterpret_cast<fftwf_complex*>(m_out),
                                   FFTW_ESTIMATE);
}

SpectrumMeter::~SpectrumMeter() {
    {
        const std::lock_guard lock(fftPlannerMutex());
        fftwf_destroy_plan(static_cast<fftwf_plan>(m_plan));
    }
    fftwf_free(m_in);
    fftwf_free(m_out);
}

void SpectrumMeter::addWindow(std::size_t channel) {
    for (std::size_t i = 0; i < m_size; ++i)
        m_in[i] = m_pending[channel][i] * m_window[i];
    fftwf_execute(static_cast<fftwf_plan>(m_plan));
    for (std::size_t k = 0; k < m_power.size(); ++k)
        m_power[k] += static_cast<double>(m_out[2 * k] * m_out[2 * k] + m_out[2 * k + 1] * m_out[2 * k + 1]);
    m_windows += 1;
}

void SpectrumMeter::add(std::span<const float> interleaved) {
    const std::size_t channels = m_pending.size();
    for (std::size_t c = 0; c < channels; ++c) {
        auto& pending = m_pending[c];
        for (std::size_t i = c; i < interleaved.size(); i += channels)
            pending.push_back(interleaved[i]);
        std::size_t at = 0;
        while (pending.size() - at >= m_size) {
            if (at > 0) {
                pending.erase(pending.begin(), pending.begin() + static_cast<std::ptrdiff_t>(at));
                at = 0;
            }
            addWindow(c);
            at = m_size / 2;
        }
        pending.erase(pending.begin(), pending.begin() + static_cast<std::ptrdiff_t>(at));
    }
}

void SpectrumMeter::addAlone(std::span<const float> interleaved) {
    for (auto& pending : m_pending)
        pending.clear();
    add(interleaved);
    for (auto& pending : m_pending)
        pending.clear();
}

Spectrum SpectrumMeter::result() const {
    std::vector<double> power = m_power;
    double windows = m_windows;
    if (windows == 0) { // a file shorter than one window: padded with silence
        SpectrumMeter padded(m_sampleRateHz, 1);
        for (const auto& pending : m_pending) {
            if (pending.empty())
                continue;
            padded.m_pending[0].assign(m_size, 0);
            // In the middle of the window, where it weighs full.
            std::copy(pending.begin(), pending.end(),
                      padded.m_pending[0].begin() +
                          static_cast<std::ptrdiff_t>((m_size - pending.size()) / 2));
            padded.addWindow(0);
        }
        power = padded.m_power;
        windows = padded.m_windows;
    }
    if (windows == 0)
        return {};
    // A full-scale sine in a Hann window spreads a power of 3/8 * size^2 / 4 * ... over its bins; summed over
    // the bins of one side it is size^2 * (3/8) / 4, so this scale makes it 1.
    const double size = static_cast<double>(m_size);
    return spectrumOf(power, m_sampleRateHz / size, 1 / (windows * size * size * 0.375 / 4));
}

Spectrum spectrumOf(std::span<const double> power, double binHz, double scale) {
    Spectrum spectrum;
    spectrum.bandDb.resize(kSpectrumPoints);
    std::vector<double> sums(power.size() + 1, 0);
    for (std::size_t k = 0; k < power.size(); ++k)
        sums[k + 1] = sums[k] + power[k];
    const auto upTo = [&](double hz) { // power below a frequency, bins taken as bars around their centre
        const double x = std::clamp(hz / binHz + 0.5, 0.0, static_cast<double>(power.size()));
        const auto whole = std::min(static_cast<std::size_t>(x), power.size() - 1);
        return sums[whole] + (x - static_cast<double>(whole)) * power[whole];
    };
    const double half = std::pow(2.0, 0.5 / kPointsPerOctave);
    for (int i = 0; i < kSpectrumPoints; ++i) {
        const double hz = Spectrum::pointHz(i);
        spectrum.bandDb[static_cast<std::size_t>(i)] =
            static_cast<float>(powerToDb(scale * (upTo(hz * half) - upTo(hz / half))));
    }
    return spectrum;
}

} // namespace cask::measure
