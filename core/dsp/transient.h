// Transient shaper: raises or lowers the beginnings and ends of hits, however loud they are.
#pragma once

#include <core/dsp/eq_settings.h>
#include <core/dsp/kernels.h>
#include <core/dsp/lane_delay.h>
#include <core/dsp/reach_filter.h>
#include <core/dsp/transient_bank.h>
#include <core/dsp/transient_settings.h>
#include <vector>

namespace cask::dsp {

/// The transient shapers of a group of lanes, each on one lane or on a pair.
///
/// Law. The level is the greatest absolute sample of the last kHoldMs, and falls by 1 dB a millisecond at the
/// most. A slow follower comes up to it by one-pole steps (63 % in the attack's time) and falls with it; a
/// late one falls from it so fast that 60 dB take the sustain's time. Over the first the level stands by the
/// beginning b, under the second by the end e, both in dB, at most kMostAttackDb and kMostSustainDb. The gain
/// is attack * b + sustain * e dB, smoothed by a one-pole of kSmoothMs. All of it depends on ratios of levels
/// alone: a hit 40 dB softer gets the same gain. After silence a beginning is
/// -20 log10(1 - exp(-t / attack)) dB: 4.0 dB after the attack's time, 1.3 dB after twice that.
class TransientLanes {
  public:
    using Settings = TransientSettings;
    static constexpr double kHoldMs = 16; ///< half a period of 31 Hz
    static constexpr double kSmoothMs = 0.2;

    [[nodiscard]] static int latencyFrames(const Settings& /*settings*/, double /*sampleRateHz*/) {
        return 0;
    }
    /// Of a part of the spectrum it hears that part alone.
    [[nodiscard]] static std::vector<EqBand> detectorBands(const Settings& settings);

    /// Allocates. Every lane passes what comes.
    explicit TransientLanes(double sampleRateHz);
    /// A module on a lane, or on it and the next. `waitFrames`: by which the sound waits for a key that comes
    /// late. Call prepare() after the last one.
    void place(int lane, int lanes, const Settings& settings, bool isOn, int waitFrames);
    /// Allocates what the placed modules need.
    void prepare();

    /// All values glide to others, but the part of the spectrum stays as it was placed. RT: no alloc, no
    /// lock.
    void set(int lane, const Settings& settings, bool isOn, int glideFrames) noexcept;
    void reset() noexcept;
    /// Another's sound, movement and values as they are now; set() lets them glide to this one's.
    /// RT: no alloc. REQUIRES: made for the same rate.
    void copyLanes(int lane, const TransientLanes& from, int fromLane, int lanes) noexcept;
    /// In place. `heard` is the sound as it comes or a key; it may be io. RT: no alloc, no lock.
    void process(const float* heard, float* io, int frames) noexcept {
        processWith(kernels(), heard, io, frames);
    }
    void processWith(const Kernels& kernels, const float* heard, float* io, int frames) noexcept;

    /// Whether what is heard must not be io.
    [[nodiscard]] static constexpr bool hearsApart() { return false; }
    /// Gain (linear) of a lane at the end of the last call, for display.
    [[nodiscard]] float gainNow(int lane) const { return m_shown[lane]; }

  private:
    struct Lane {
        Settings settings;
        int lanes = 0; ///< of the module; 0: none, or the right one of a pair
        int waitFrames = 0;
        int glideFrames = 1;
        int glideLeft = 0;
        bool isPlaced = false;
        ReachFilter reach;
    };

    void take(int lane, const Settings& settings, bool isOn) noexcept;
    void stepGlides() noexcept;
    void applyReach(float* io, int frames) noexcept;

    double m_rateHz;
    TransientBank m_bank;
    TransientValues m_from, m_to;
    std::array<Lane, kLanes> m_lanes;
    bool m_isGliding = false;
    bool m_hasReach = false; ///< some lane acts on a part of the spectrum
    LaneDelay m_delay;
    LaneFloats m_shown;
};

} // namespace cask::dsp
