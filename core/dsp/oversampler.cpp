#include "core/dsp/oversampler.h"

#include "core/base/units.h"

#include <algorithm>
#include <cassert>
#include <cmath>

namespace cask::dsp {
namespace {

constexpr double kStopDb = 110;
constexpr double kPass = 0.4535; // of the rate that comes in

/// Kaiser's design: a windowed sinc with the corner midway between pass and stop, both in parts of the
/// filter's own rate. Its length is 1 + a multiple of `step`.
std::vector<double> designLowPass(double pass, double stop, int step) {
    constexpr double kBeta = 0.1102 * (kStopDb - 8.7);
    const double needed = (kStopDb - 7.95) / (2.285 * 2 * kPi * (stop - pass));
    const int last = step * static_cast<int>(std::ceil(needed / step));
    const double corner = pass + stop; // of half the rate
    std::vector<double> taps(static_cast<std::size_t>(last) + 1);
    for (int t = 0; t <= last; ++t) {
        const double x = t - 0.5 * last;
        const double r = 2 * x / last;
        const double sinc = x == 0 ? corner : std::sin(kPi * corner * x) / (kPi * x);
        taps[static_cast<std::size_t>(t)] = sinc * std::cyl_bessel_i(0, kBeta * std::sqrt(1 - r * r));
    }
    return taps;
}

} // namespace

Oversampler::Doubling Oversampler::design(int index, int mostFrames) {
    const double base = std::exp2(-index - 1); // the rate that comes in, of this filter's rate
    const auto wanted = index == 0 ? designLowPass(kPass * base, 0.5 * base, 2)
                                   : designLowPass(0.5 * base, 0.5 - 0.5 * base, 2 << index);
    // Either half sums to one half, so that a constant stays what it is to the last bit of the taps.
    double sums[2] = {0, 0};
    for (std::size_t t = 0; t < wanted.size(); ++t)
        sums[t % 2] += wanted[t];
    Doubling d;
    for (std::size_t t = 0; t < wanted.size(); ++t) {
        const auto tap = static_cast<float>(wanted[t] / (2 * sums[t % 2]));
        d.taps.push_back(tap);
        (t % 2 == 0 ? d.even : d.odd).push_back(2 * tap);
    }
    const int lowFrames = mostFrames << index;
    d.low.assign(static_cast<std::size_t>((d.lowHistory() + lowFrames) * kLanes), 0);
    d.high.assign(static_cast<std::size_t>((d.highHistory() + 2 * lowFrames) * kLanes), 0);
    return d;
}

Oversampler::Oversampler(int factor, int mostFrames) : m_kernels(&kernels()) {
    assert(factor == 2 || factor == 4 || factor == 8);
    for (int index = 0; (2 << index) <= factor; ++index) {
        m_doublings.push_back(design(index, mostFrames));
        m_latencyFrames += m_doublings.back().highHistory() / (2 << index);
    }
}

float* Oversampler::up(const float* in, int frames) noexcept {
    std::copy_n(in, frames * kLanes,
                m_doublings.front().low.data() + m_doublings.front().lowHistory() * kLanes);
    for (std::size_t i = 0; i < m_doublings.size(); ++i, frames *= 2) {
        Doubling& d = m_doublings[i];
        const bool isLast = i + 1 == m_doublings.size();
        float* to = isLast ? d.high.data() + d.highHistory() * kLanes
                           : m_doublings[i + 1].low.data() + m_doublings[i + 1].lowHistory() * kLanes;
        m_kernels->fir(d.even, d.low.data(), to, frames, {.in = 1, .out = 2});
        // The odd half has a tap less: it begins a frame later.
        m_kernels->fir(d.odd, d.low.data() + kLanes, to + kLanes, frames, {.in = 1, .out = 2});
        std::copy_n(d.low.data() + frames * kLanes, d.lowHistory() * kLanes, d.low.data());
    }
    return m_doublings.back().high.data() + m_doublings.back().highHistory() * kLanes;
}

void Oversampler::down(float* out, int frames) noexcept {
    for (std::size_t i = m_doublings.size(); i-- > 0;) {
        Doubling& d = m_doublings[i];
        const int lowFrames = frames << i;
        float* to = i == 0 ? out : m_doublings[i - 1].high.data() + m_doublings[i - 1].highHistory() * kLanes;
        m_kernels->fir(d.taps, d.high.data(), to, lowFrames, {.in = 2, .out = 1});
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
