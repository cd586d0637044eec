// The gain of a gate or expander, frame by frame, from the sound of its detector.
#pragma once

#include <core/dsp/gate_level.h>
#include <core/dsp/gate_settings.h>
#include <cstdint>
#include <vector>

namespace cask::dsp {

/// A step function (open at once, hold, release along its curve), smoothed by two moving averages in a row
/// that together are as long as the attack: so the gain rises along an S that ends after exactly the attack
/// and never has a corner. The averages are sums of whole numbers: nothing drifts, and the result is the same
/// however the frames are split into calls.
class GateGain {
  public:
    static constexpr double kMostAttackMs = 50;

    /// Allocates; closed and settled.
    void prepare(double sampleRateHz, const GateSettings& settings);
    /// From the next frame on; levels, gains and ratio move there evenly over `glideFrames`.
    /// RT: no alloc, no lock.
    void set(const GateSettings& settings, int glideFrames) noexcept;
    /// Closed and settled; glides end. RT: no alloc, no lock.
    void reset() noexcept;
    /// The other's movement, with this one's settings as the goal of a glide from the other's.
    /// RT: no alloc. REQUIRES: both prepared for the same rate.
    void copyStateFrom(const GateGain& other, int glideFrames) noexcept;
    /// gain[n] (linear) for the detector's sound. True when all of it is one value, which is gain[0]; the
    /// rest of `gain` is then not written. RT: no alloc, no lock. REQUIRES: frames > 0.
    bool process(const float* detector, float* gain, int frames) noexcept;

    [[nodiscard]] bool isOpen() const { return m_isOpen; }
    /// Gain that an open and a closed gate settle at, linear.
    [[nodiscard]] double openGain() const { return m_law.openGain; }
    [[nodiscard]] double closedGain() const { return m_law.closedGain; }

  private:
    /// What moves in a glide, in dB.
    struct Levels {
        double open, close, ratio, openGain, closedGain;
    };
    /// The same, as it is used.
    struct Law {
        float openLevel = 1; ///< linear
        float closeLevel = 1;
        double openGain = 1;
        double closedGain = 0;
        double openGainDb = 0;
        double closedGainDb = 0;
        double openDb = 0;
        double slope = 0;       ///< dB of gain for each dB under openDb; 0: none but the closed gain
        double closedLevel = 0; ///< under it the ratio has reached the closed gain
    };
    struct Average {
        std::vector<std::int64_t> values; ///< ring; the first `length` are used
        int length = 1;
        int at = 0;
        std::int64_t sum = 0;
        [[nodiscard]] std::int64_t add(std::int64_t value) noexcept;
        void fill(int newLength, std::int64_t value) noexcept;
    };

    [[nodiscard]] static Levels levelsOf(const GateSettings& settings) noexcept;
    void takeLevels(const Levels& levels) noexcept;
    [[nodiscard]] Levels levelsNow() const noexcept;
    /// True when the averages have another length and begin anew.
    [[nodiscard]] bool setTimes(const GateSettings& settings) noexcept;
    void stepState(double level) noexcept;
    void stepRelease() noexcept;
    [[nodiscard]] double rawGain(double level) const noexcept;
    [[nodiscard]] float smooth(double raw) noexcept;
    /// Frames from here on in which the gain stays what it is; only where no level has to be known.
    [[nodiscard]] int steadyFrames(const float* detector, int frames) noexcept;

    double m_rateHz = 48000;
    GateSettings m_settings;
    Levels m_from{};
    Levels m_to{};
    int m_glideFrames = 0;
    int m_glideLeft = 0;
    Law m_law;
    int m_windowFrames = 1;
    int m_holdFrames = 0;
    int m_releaseFrames = 1;
    double m_releaseFactor = 1;
    bool m_isLevelNeeded = false; ///< a ratio or RMS: else counting frames over a level will do
    GateLevel m_level;
    // State
    bool m_isOpen = false;
    int m_quietFrames = 0; ///< since the detector was at closeDb, while open
    int m_fallLeft = 0;    ///< frames of the release still to go
    double m_raw = 0;      ///< gain before smoothing, linear, without the ratio's part
    std::int64_t m_lastRaw = 0;
    int m_sameFrames = 0; ///< in which the raw gain has not moved
    Average m_first;
    Average m_second;
    double m_averageShare = 1;
    float m_lastGain = 0;
    // A change of the attack's length would jump: what is missing is taken away over a while.
    float m_offset = 0;
    int m_offsetLeft = 0;
    int m_offsetFrames = 1;
};

} // namespace cask::dsp
