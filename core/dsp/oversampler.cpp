#include "core/dsp/oversampler.h"

#include "core/base/units.h"

#include <algorithm>
#include <cassert>
#include <cmath>

namespace cask::dsp {
namespace {

/// At 8 times less may come through: that is what it is for.
constexpr double stopDb(int factor) {
    return factor >= 8 ? 110 : 90;
}
constexpr double kPassHz = 20000;
constexpr double kLeastPass = 20000.0 / 48000; // of the rate that comes in
constexpr double kMostPass = 0.4535;

/// Of a doubling's own rate, which passes what all of them pass.
double passOf(double rateHz, int index) {
    return std::clamp(kPassHz / rateHz, kLeastPass, kMostPass) * std::exp2(-index - 1);
}

/// The place of the middle tap: odd.
int middleOf(double pass, int factor) {
    const double needed = (stopDb(factor) - 7.95) / (2.285 * 2 * kPi * (0.5 - 2 * pass));
    return 2 * static_cast<int>(std::ceil((needed + 2) / 4)) - 1;
}

/// Frames at the high rate by which all of it is late.
int lateOf(int factor, double rateHz, int lateFrames) {
    int late = lateFrames;
    for (int index = 0; (2 << index) <= factor; ++index)
        late += 2 * middleOf(passOf(rateHz, index), factor) * (factor >> (index + 1));
    return late;
}

/// The taps of a half-band beside its middle one, for a pass band in parts of its own rate: Kaiser's design.
/// Their number is even.
std::vector<double> designHalfBand(double pass, int factor) {
    const double beta = 0.1102 * (stopDb(factor) - 8.7);
    const int last = 2 * middleOf(pass, factor); // of all taps, those that are zero too
    std::vector<double> taps;
    double sum = 0;
    for (int t = 0; t <= last; t += 2) {
        const double x = t - 0.5 * last; // odd
        const double r = 2 * x / last;
        taps.push_back(std::sin(0.5 * kPi * x) / (kPi * x) *
                       std::cyl_bessel_i(0, beta * std::sqrt(1 - r * r)));
        sum += taps.back();
    }
    // A constant stays what it is.
    for (double& tap : taps)
        tap *= 0.5 / sum;
    return taps;
}

} // namespace

Oversampler::Doubling Oversampler::design(int index, int factor, double rateHz, int mostFrames,
                                          int waitFrames) {
    Doubling d;
    for (const double tap : designHalfBand(passOf(rateHz, index), factor)) {
        d.taps.push_back(static_cast<float>(tap));
        d.twice.push_back(static_cast<float>(2 * tap));
    }
    d.waitFrames = waitFrames;
    const int lowFrames = mostFrames << index;
    d.low.assign(static_cast<std::size_t>((d.lowHistory() + lowFrames) * kLanes), 0);
    d.high.assign(static_cast<std::size_t>((d.highHistory() + 2 * lowFrames) * kLanes), 0);
    return d;
}

Oversampler::Oversampler(int factor, double rateHz, int mostFrames, int lateFrames) : m_kernels(&kernels()) {
    assert(factor == 2 || factor == 4 || factor == 8 || factor == 64);
    const int late = lateOf(factor, rateHz, lateFrames);
    m_latencyFrames = latencyFrames(factor, rateHz, lateFrames);
    for (int index = 0; (2 << index) <= factor; ++index)
        m_doublings.push_back(design(index, factor, rateHz, mostFrames,
                                     (2 << index) == factor ? factor * m_latencyFrames - late : 0));
}

int Oversampler::latencyFrames(int factor, double rateHz, int lateFrames) {
    return (lateOf(factor, rateHz, lateFrames) + factor - 1) / factor;
}

float* Oversampler::up(const float* in, int frames) noexcept {
    std::copy_n(in, frames * kLanes,
                m_doublings.front().low.data() + m_doublings.front().lowHistory() * kLanes);
    for (std::size_t i = 0; i < m_doublings.size(); ++i, frames *= 2) {
        Doubling& d = m_doublings[i];
        const bool isLast = i + 1 == m_doublings.size();
        float* to = isLast ? d.high.data() + d.highHistory() * kLanes
                           : m_doublings[i + 1].low.data() + m_doublings[i + 1].lowHistory() * kLanes;
        m_kernels->halfUp(d.twice, d.low.data(), to, frames);
        std::copy_n(d.low.data() + frames * kLanes, d.lowHistory() * kLanes, d.low.data());
    }
    return m_doublings.back().high.data() + m_doublings.back().highHistory() * kLanes;
}

void Oversampler::down(float* out, int frames) noexcept {
    for (std::size_t i = m_doublings.size(); i-- > 0;) {
        Doubling& d = m_doublings[i];
        const int lowFrames = frames << i;
        float* to = i == 0 ? out : m_doublings[i - 1].high.data() + m_doublings[i - 1].highHistory() * kLanes;
        m_kernels->halfDown(d.taps, d.high.data(), to, lowFrames);
        std::copy_n(d.high.data() + 2 * lowFrames * kLanes, d.highHistory() * kLanes, d.high.data());
    }
}

void Oversampler::copyLane(int lane, const Oversampler& from, int fromLane) noexcept {
    for (std::size_t i = 0; i < m_doublings.size(); ++i) {
        Doubling& to = m_doublings[i];
        const Doubling& other = from.m_doublings[i];
        for (const auto& [buffer, history] :
             {std::pair(&Doubling::low, to.lowHistory()), std::pair(&Doubling::high, to.highHistory())})
            for (int n = 0; n < history * kLanes; n += kLanes)
                (to.*buffer)[static_cast<std::size_t>(n + lane)] =
                    (other.*buffer)[static_cast<std::size_t>(n + fromLane)];
    }
}

void Oversampler::reset() noexcept {
    for (Doubling& d : m_doublings) {
        std::fill(d.low.begin(), d.low.end(), 0.0F);
        std::fill(d.high.begin(), d.high.end(), 0.0F);
    }
}

} // namespace cask::dsp
