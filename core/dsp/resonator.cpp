#include "core/dsp/resonator.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>

namespace cask::dsp {
namespace {

constexpr double kLeastDrive = 1e-3; // under it the curve is straight

} // namespace

ResonatorLanes::ResonatorLanes(double sampleRateHz) : m_rateHz(sampleRateHz) {}

void ResonatorLanes::place(int lane, int lanes, const Settings& settings, bool isOn, int /*waitFrames*/) {
    m_lanes[static_cast<std::size_t>(lane)] = lanes;
    std::fill_n(m_isPlaced.begin() + lane, lanes, true);
    set(lane, settings, isOn, 0);
}

void ResonatorLanes::takeValues() noexcept {
    for (int l = 0; l < kLanes; ++l) {
        if (!m_isPlaced[static_cast<std::size_t>(l)])
            continue;
        const Values& now = m_glides.now;
        BodySettings s;
        s.frequencyHz = std::exp(static_cast<double>(now.note[l]));
        s.decayMs = std::exp(static_cast<double>(now.decay[l]));
        const auto c = designBody(s, m_rateHz);
        const double c1 = 1 / (1 + c.g * (c.g + c.k));
        const double d = std::exp(static_cast<double>(now.drive[l]));
        m_ticks[static_cast<std::size_t>(l)] = {
            c1, c.g * c1, c.g * c.g * c1, c.k * static_cast<double>(now.level[l]), d > kLeastDrive ? d : 0};
    }
}

void ResonatorLanes::set(int lane, const Settings& s, bool isOn, int glideFrames) noexcept {
    for (int l = lane; l < lane + m_lanes[static_cast<std::size_t>(lane)]; ++l) {
        m_glides.to.note[l] = static_cast<float>(std::log(s.frequencyHz));
        m_glides.to.decay[l] = static_cast<float>(std::log(std::max(1.0, s.decayMs)));
        m_glides.to.level[l] = isOn ? static_cast<float>(dbToLinear(s.levelDb)) : 0.0F;
        m_glides.to.drive[l] =
            static_cast<float>(std::log(std::max(0.999 * kLeastDrive, dbToLinear(s.driveDb) - 1)));
        m_glides.begin(l, glideFrames);
    }
    takeValues();
}

void ResonatorLanes::reset() noexcept {
    m_glides.settle();
    takeValues();
    m_states = {};
}

void ResonatorLanes::copyLanes(int lane, const ResonatorLanes& from, int fromLane, int lanes) noexcept {
    for (int l = lane, f = fromLane; l < lane + lanes; ++l, ++f) {
        m_glides.copyLane(l, from.m_glides, f);
        m_states[static_cast<std::size_t>(l)] = from.m_states[static_cast<std::size_t>(f)];
    }
    takeValues();
}

void ResonatorLanes::process(const float* /*heard*/, float* io, int frames) noexcept {
    for (int done = 0; done < frames;) {
        const int some = m_glides.isGliding() ? 1 : frames - done;
        if (m_glides.isGliding()) {
            m_glides.step();
            takeValues();
        }
        for (int l = 0; l < kLanes; ++l) {
            if (!m_isPlaced[static_cast<std::size_t>(l)])
                continue;
            const Tick t = m_ticks[static_cast<std::size_t>(l)];
            State s = m_states[static_cast<std::size_t>(l)];
            float* x = io + static_cast<std::ptrdiff_t>(done) * kLanes + l;
            for (int n = 0; n < some; ++n, x += kLanes) {
                const double v3 = static_cast<double>(*x) - s.s2;
                const double v1 = t.c1 * s.s1 + t.c2 * v3;
                const double v2 = s.s2 + t.c2 * s.s1 + t.c3 * v3;
                s.s1 = 2 * v1 - s.s1;
                s.s2 = 2 * v2 - s.s2;
                const double r = t.gain * v1;
                *x += static_cast<float>(t.drive > 0 ? std::tanh(t.drive * r) / t.drive : r);
            }
            m_states[static_cast<std::size_t>(l)] = s;
        }
        done += some;
    }
}

} // namespace cask::dsp
