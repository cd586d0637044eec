#include "core/dsp/reach_filter.h"

#include "core/base/units.h"
#include "core/dsp/lane.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace cask::dsp {
namespace {

constexpr double kRoot2 = std::numbers::sqrt2;

double warped(double hz, double rateHz) {
    return std::tan(kPi * std::clamp(hz, 10.0, 0.45 * rateHz) / rateHz);
}

} // namespace

ReachFilter::Tick ReachFilter::tickOf(double g, double k) noexcept {
    const double c1 = 1 / (1 + g * (g + k));
    return {c1, g * c1, g * g * c1};
}

void ReachFilter::set(GateReach reach, double fromHz, double toHz, double rateHz) noexcept {
    m_reach = reach;
    m_k = kRoot2;
    if (reach != GateReach::Between) {
        m_ticks[0] = tickOf(warped(reach == GateReach::Above ? fromHz : toHz, rateHz), m_k);
        return;
    }
    const double from = warped(std::min(fromHz, toHz), rateHz);
    const double to = std::max(warped(std::max(fromHz, toHz), rateHz), 1.05 * from);
    const double centre = std::sqrt(from * to);
    m_width = (to - from) / centre;
    // p^2 + sqrt(2) p + 1 with p = (s^2 + 1) / (b s) is a quartic in s, which parts into two sections with
    // corners r and 1 / r and one damping k: u = r + 1 / r, u k = sqrt(2) b, u^2 + k^2 = 4 + b^2.
    const double b2 = m_width * m_width;
    const double u2 = 0.5 * (4 + b2 + std::sqrt((4 + b2) * (4 + b2) - 8 * b2));
    const double u = std::sqrt(u2);
    m_k = kRoot2 * m_width / u;
    m_ratio = 0.5 * (u + std::sqrt(std::max(0.0, u2 - 4)));
    m_ticks[0] = tickOf(centre * m_ratio, m_k);
    m_ticks[1] = tickOf(centre / m_ratio, m_k);
}

void ReachFilter::reset() noexcept {
    m_states = {};
}

ReachFilter::Outputs ReachFilter::step(const Tick& t, State& s, double x) noexcept {
    const double v3 = x - s.s2;
    const double v1 = t.c1 * s.s1 + t.c2 * v3;
    const double v2 = s.s2 + t.c2 * s.s1 + t.c3 * v3;
    s.s1 = 2 * v1 - s.s1;
    s.s2 = 2 * v2 - s.s2;
    return {v1, v2};
}

double ReachFilter::stage(int index, double x, double toBand, double toEnd) noexcept {
    auto& states = m_states[static_cast<std::size_t>(index)];
    const Outputs a = step(m_ticks[0], states[0], x);
    if (m_reach != GateReach::Between) {
        const double end = m_reach == GateReach::Below ? a.low : x - m_k * a.band - a.low;
        return x + toBand * a.band + toEnd * end;
    }
    const Outputs b = step(m_ticks[1], states[1], a.band);
    const double high = a.band - m_k * b.band - b.low;
    const double side = m_width / m_ratio * (high + m_ratio * m_ratio * b.low); // p / (p^2 + sqrt(2) p + 1)
    return x + toBand * side + toEnd * m_width * m_width * b.band;
}

void ReachFilter::process(float* sound, int stride, const float* gain, bool isOneGain, int frames) noexcept {
    double toBand = 0;
    double toEnd = 0;
    for (int n = 0; n < frames; ++n) {
        if (n == 0 || !isOneGain) {
            const double g = std::sqrt(std::max(0.0F, gain[n])); // of each stage
            toBand = kRoot2 * (std::sqrt(g) - 1);
            toEnd = g - 1;
        }
        float& x = sound[static_cast<std::ptrdiff_t>(n) * stride];
        x = static_cast<float>(stage(1, stage(0, x, toBand, toEnd), toBand, toEnd));
    }
}

void ReachFilter::takeGains(float* sound, float* gains, int frames) noexcept {
    constexpr int kPiece = 64;
    std::array<float, kPiece> own;
    for (int done = 0; done < frames; done += kPiece) {
        const int count = std::min(kPiece, frames - done);
        for (int n = 0; n < count; ++n) {
            float& gain = gains[(done + n) * kLanes];
            own[static_cast<std::size_t>(n)] = gain;
            gain = 1;
        }
        process(sound + done * kLanes, kLanes, own.data(), false, count);
    }
}

} // namespace cask::dsp
