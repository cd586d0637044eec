// Acts on a part of the spectrum with a gain that moves, and leaves the rest as it is.
#pragma once

#include <array>
#include <core/dsp/gate_settings.h>

namespace cask::dsp {

/// A shelf (or, between two corners, its band-pass transform) whose poles stand still while its zeros follow
/// the gain g. With the shelf prototype in p,
///   H = (p^2 + sqrt(2 g) p + g) / (p^2 + sqrt(2) p + 1)
///     = 1 + (sqrt(2 g) - sqrt(2)) p / (...) + (g - 1) / (...)
/// two fixed filters are mixed to the dry sound: at g = 1 it passes bit for bit, at any g it is minimum-phase
/// and without a bump, and a moving gain never disturbs the state. p = s / w for what is below a corner,
/// w / s for what is above, (s^2 + w0^2) / (B s) for what lies between two (the usual low-pass to band-pass
/// transform). Two stages of sqrt(g) in a row: the sides fall by 24 dB an octave until the gain is reached.
class ReachFilter {
  public:
    /// `fromHz`: corner of Above, lower one of Between; `toHz`: corner of Below, upper one of Between.
    void set(GateReach reach, double fromHz, double toHz, double sampleRateHz) noexcept;
    void reset() noexcept;
    void copyStateFrom(const ReachFilter& other) noexcept { m_states = other.m_states; }
    /// In place; frame n is sound[n * stride]. RT: no alloc, no lock.
    void process(float* sound, int stride, const float* gain, bool isOneGain, int frames) noexcept;
    /// One lane of eight, by its lane of a bank's gains, which becomes 1: the multiplication that follows
    /// leaves it. `sound` and `gains` point at the lane's first frame. RT: no alloc, no lock.
    void takeGains(float* sound, float* gains, int frames) noexcept;

  private:
    struct Tick { // state-variable filter with trapezoidal integrators (Simper 2013)
        double c1 = 0, c2 = 0, c3 = 0;
    };
    struct State {
        double s1 = 0, s2 = 0;
    };
    struct Outputs {
        double band, low;
    };
    [[nodiscard]] static Tick tickOf(double g, double k) noexcept;
    [[nodiscard]] static Outputs step(const Tick& tick, State& state, double x) noexcept;
    [[nodiscard]] double stage(int index, double x, double toBand, double toEnd) noexcept;

    GateReach m_reach = GateReach::All;
    std::array<Tick, 2> m_ticks;
    double m_k = 1;
    double m_width = 1;                           ///< B / w0
    double m_ratio = 1;                           ///< of the first section's corner to w0
    std::array<std::array<State, 2>, 2> m_states; ///< [stage][section]
};

} // namespace cask::dsp
