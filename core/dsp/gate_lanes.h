// The gates of a group of lanes, each on one lane or on a pair: detector, gain, look-ahead, reach.
#pragma once

#include <core/dsp/gate_bank.h>
#include <core/dsp/gate_level.h>
#include <core/dsp/gate_settings.h>
#include <core/dsp/kernels.h>
#include <core/dsp/lane_delay.h>
#include <core/dsp/reach_filter.h>
#include <optional>
#include <vector>

namespace cask::dsp {

/// Frames by which the sound waits for the gain.
[[nodiscard]] int gateLatency(const GateSettings& settings, double sampleRateHz);
/// The detector's filter, low cut first; empty when it is off.
[[nodiscard]] std::vector<EqBand> detectorBands(const GateSettings& settings);
[[nodiscard]] std::vector<SvfCoefficients> designDetectorFilter(const GateSettings& settings,
                                                                double sampleRateHz);

/// A step function (open at once, hold, release along its curve), smoothed by two moving averages that
/// together are as long as the attack, eight lanes side by side. Pairs are linked by the
/// louder of their detectors.
class GateLanes {
  public:
    using Settings = GateSettings;

    [[nodiscard]] static int latencyFrames(const GateSettings& settings, double sampleRateHz) {
        return gateLatency(settings, sampleRateHz);
    }
    [[nodiscard]] static std::vector<EqBand> detectorBands(const GateSettings& settings) {
        return dsp::detectorBands(settings);
    }
    /// Allocates. Every lane passes what comes.
    explicit GateLanes(double sampleRateHz);
    /// A module on a lane, or on it and the next. `waitFrames`: by which the sound waits on top of the
    /// look-ahead, for a key that comes late. Call prepare() after the last one.
    void place(int lane, int lanes, const GateSettings& settings, bool isOn, int waitFrames);
    /// Allocates what the placed modules need.
    void prepare();

    /// Levels, gains and ratio glide to others, in dB; times are others at once; the rest stays as it was
    /// placed. RT: no alloc, no lock.
    void set(int lane, const GateSettings& settings, bool isOn, int glideFrames) noexcept;
    /// Closed and settled.
    void reset() noexcept;
    /// Another's sound, movement and values as they are now; set() lets them glide to this one's.
    /// RT: no alloc. REQUIRES: made for the same rate.
    void copyLanes(int lane, const GateLanes& from, int fromLane, int lanes) noexcept;
    /// In place. `heard`, filtered, is the sound as it comes or a key; it may be io.
    /// RT: no alloc, no lock.
    void process(const float* heard, float* io, int frames) noexcept {
        processWith(kernels(), heard, io, frames);
    }
    void processWith(const Kernels& kernels, const float* heard, float* io, int frames) noexcept;

    /// For who hears all of a take: passes over frames that are no louder in each lane than `greatest`, when
    /// no gain can move in them. False when one may; nothing has happened then. RT: no alloc, no lock.
    [[nodiscard]] bool standStill(const LaneFloats& greatest, int frames) noexcept;

    /// Whether what is heard must not be io.
    [[nodiscard]] static constexpr bool hearsApart() { return false; }
    /// Gain (linear) of a lane at the end of the last call, for display.
    [[nodiscard]] float gainNow(int lane) const { return m_shown[lane]; }

  private:
    /// What glides, in dB.
    struct Levels {
        double open, close, ratio, openGain, closedGain;
    };
    struct Lane {
        GateSettings settings;
        int lanes = 0; ///< of the module; 0: none, or the right one of a pair
        int waitFrames = 0;
        Levels from{}, to{};
        int glideFrames = 1;
        int glideLeft = 0;
        bool isOn = true;
        float offShare = 0; ///< 1: off
        float offStep = 1;
        // A change of the attack's length would jump: what is missing is taken away over a while.
        float offset = 0;
        int offsetLeft = 0;
        std::optional<GateLevel> level; ///< where a ratio or RMS needs a known level
        ReachFilter reach;
    };

    [[nodiscard]] static Levels levelsOf(const GateSettings& settings) noexcept;
    [[nodiscard]] static Levels levelsNow(const Lane& lane) noexcept;
    void takeLevels(int lane, const Levels& levels) noexcept;
    void takeTimes(int lane, const GateSettings& settings) noexcept;
    void fillAverages(int lane) noexcept;
    void growRings(int frames) noexcept;
    void noteAttacks() noexcept;
    void stepMoves() noexcept;
    /// Where a ratio or RMS needs them, else null.
    [[nodiscard]] const float* knownLevels(const Kernels& kernels, const float* heard, int frames) noexcept;
    void finishGains(int frames) noexcept;
    void applyReach(float* io, int frames) noexcept;

    double m_rateHz;
    GateBank m_bank;
    std::array<Lane, kLanes> m_lanes;
    LaneDelay m_delay;
    LaneFloats m_shown;
    bool m_moves = false;    ///< some lane glides, fades or is switched
    bool m_hasReach = false; ///< some lane acts on a part of the spectrum
    bool m_hasLevels = false;
    int m_offsetFrames = 1;
    alignas(64) std::array<float, static_cast<std::size_t>(GateBank::kPiece) * kLanes> m_levels{};
};

} // namespace cask::dsp
