// What it does to sound: a gain, later, and stronger by the level of what it hears at each frame.
#pragma once

#include <cmath>
#include <core/base/units.h>
#include <core/dsp/eq_settings.h>
#include <core/dsp/kernels.h>
#include <tests/example_kind/settings.h>

namespace cask::dsp {

class ExampleLanes {
  public:
    using Settings = ExampleSettings;
    static int latencyFrames(const Settings& s, double rate) {
        return static_cast<int>(std::lround(0.001 * s.lateMs * rate));
    }
    static std::vector<EqBand> detectorBands(const Settings&) { return {}; }

    explicit ExampleLanes(double rate) : m_rate(rate) { m_to.v.fill(1); }
    void place(int lane, int lanes, const Settings& s, bool isOn, int waitFrames) {
        for (int l = lane; l < lane + lanes; ++l) {
            m_count[static_cast<std::size_t>(lane)] = lanes;
            m_delays[static_cast<std::size_t>(l)] = latencyFrames(s, m_rate) + waitFrames;
            m_hears[l] = 1;
        }
        set(lane, s, isOn, 0);
    }
    void prepare() {
        m_delay.prepare(m_delays);
        reset();
    }
    void set(int lane, const Settings& s, bool isOn, int glideFrames) noexcept {
        for (int l = lane; l < lane + m_count[static_cast<std::size_t>(lane)]; ++l) {
            m_to[l] = isOn ? static_cast<float>(dbToLinear(s.gainDb)) : 1;
            m_hears[l] = isOn ? 1.0F : 0.0F;
            m_left[static_cast<std::size_t>(l)] = glideFrames;
            if (glideFrames == 0)
                m_now[l] = m_to[l];
        }
    }
    void reset() noexcept {
        m_now = m_to;
        m_left = {};
        m_delay.reset();
    }
    void copyLanes(int lane, const ExampleLanes& from, int fromLane, int lanes) noexcept {
        for (int i = 0; i < lanes; ++i) {
            m_now[lane + i] = from.m_now[fromLane + i];
            m_delay.copyLane(lane + i, from.m_delay, fromLane + i);
        }
    }
    void process(const float* heard, float* io, int frames) noexcept {
        if (hearsApart())
            kernels().delay(m_delay, io, frames);
        for (int n = 0; n < frames; ++n)
            for (int l = 0; l < kLanes; ++l) {
                auto& left = m_left[static_cast<std::size_t>(l)];
                if (left > 0)
                    m_now[l] += (m_to[l] - m_now[l]) / static_cast<float>(left--);
                io[n * kLanes + l] *= m_now[l] + 0.1F * m_hears[l] * std::abs(heard[n * kLanes + l]);
            }
    }
    bool hearsApart() const { return m_delay.tapCount > 0; }
    float gainNow(int lane) const { return m_now[lane]; }

  private:
    double m_rate;
    std::array<int, kLanes> m_count{};
    std::array<int, kLanes> m_delays{};
    std::array<int, kLanes> m_left{};
    LaneFloats m_now, m_to, m_hears;
    LaneDelay m_delay;
};

} // namespace cask::dsp
