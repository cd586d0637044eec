// Resonators of a group of lanes, with their drive.
#pragma once

#include <core/dsp/body.h>
#include <core/dsp/eq_settings.h>
#include <core/dsp/lane_glides.h>
#include <vector>

namespace cask::dsp {

/// designBody() on eight channels, the resonance by itself through tanh(d r) / d where it is driven. A low
/// note makes so few tones up to half the rate that nothing is oversampled: driven by 24 dB at full scale,
/// what folds back lies under -100 dB for notes up to 200 Hz.
class ResonatorLanes {
  public:
    using Settings = BodySettings;

    [[nodiscard]] static int latencyFrames(const Settings& /*settings*/, double /*sampleRateHz*/) {
        return 0;
    }
    [[nodiscard]] static std::vector<EqBand> detectorBands(const Settings& /*settings*/) { return {}; }

    /// Every lane passes what comes.
    explicit ResonatorLanes(double sampleRateHz);
    /// A module on a lane, or on it and the next. Call prepare() after the last one.
    void place(int lane, int lanes, const Settings& settings, bool isOn, int waitFrames);
    void prepare() { reset(); }

    /// All values glide to others. RT: no alloc, no lock.
    void set(int lane, const Settings& settings, bool isOn, int glideFrames) noexcept;
    void reset() noexcept;
    /// Another's sound and values; set() lets them glide to this one's. RT: no alloc.
    void copyLanes(int lane, const ResonatorLanes& from, int fromLane, int lanes) noexcept;
    /// In place. RT: no alloc, no lock.
    void process(const float* heard, float* io, int frames) noexcept;

    /// Whether what is heard must not be io.
    [[nodiscard]] static constexpr bool hearsApart() { return false; }

  private:
    struct Values {
        LaneFloats note;  ///< ln Hz
        LaneFloats decay; ///< ln ms
        LaneFloats level; ///< linear; 0 where it is bypassed
        LaneFloats drive; ///< ln d
        static constexpr std::array kAll{&Values::note, &Values::decay, &Values::level, &Values::drive};
    };
    /// Of a state-variable filter with trapezoidal integrators (Simper 2013), its band output times `gain`.
    struct Tick {
        double c1 = 0, c2 = 0, c3 = 0;
        double gain = 0;
        double drive = 0; ///< 0: not driven
    };
    struct State {
        double s1 = 0, s2 = 0;
    };
    void takeValues() noexcept;

    double m_rateHz;
    std::array<int, kLanes> m_lanes{}; ///< of the module on each lane; 0: none, or the right one of a pair
    std::array<bool, kLanes> m_isPlaced{};
    LaneGlides<Values> m_glides;
    std::array<Tick, kLanes> m_ticks;
    std::array<State, kLanes> m_states;
};

} // namespace cask::dsp
