// The law of a gate or expander written out once more, one channel and one frame at a time, in double.
#pragma once

#include <core/dsp/gate_level.h>
#include <core/dsp/gate_settings.h>
#include <cstdint>
#include <vector>

namespace cask::test {

/// A step function (open at once, hold, release along its curve), smoothed by two moving averages in a row
/// that together are as long as the attack: so the gain rises along an S that ends after exactly the attack
/// and never has a corner. The averages are sums of whole numbers: nothing drifts, and the result is the same
/// however the frames are split into calls.
class GateLaw {
  public:
    static constexpr double kMostAttackMs = 50;

    /// Closed and settled.
    void prepare(double sampleRateHz, const dsp::GateSettings& settings);
    /// From the next frame on; levels, gains and ratio move there evenly over `glideFrames`.
    ///
    void set(const dsp::GateSettings& settings, int glideFrames) noexcept;
    /// Closed and settled; glides end.
    void reset() noexcept;
    /// Gain (linear) for the next frame of the detector's sound.
    [[nodiscard]] float next(float detector) noexcept;

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

    [[nodiscard]] static Levels levelsOf(const dsp::GateSettings& settings) noexcept;
    void takeLevels(const Levels& levels) noexcept;
    [[nodiscard]] Levels levelsNow() const noexcept;
    /// True when the averages have another length and begin anew.
    [[nodiscard]] bool setTimes(const dsp::GateSettings& settings) noexcept;
    void stepState(double level) noexcept;
    void stepRelease() noexcept;
    [[nodiscard]] double rawGain(double level) const noexcept;
    [[nodiscard]] float smooth(double raw) noexcept;

    double m_rateHz = 48000;
    dsp::GateSettings m_settings;
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
    dsp::GateLevel m_level;
    // State
    bool m_isOpen = false;
    int m_quietFrames = 0; ///< since the detector was at closeDb, while open
    int m_fallLeft = 0;    ///< frames of the release still to go
    double m_raw = 0;      ///< gain before smoothing, linear, without the ratio's part
    std::int64_t m_lastRaw = 0;
    Average m_first;
    Average m_second;
    double m_averageShare = 1;
    float m_lastGain = 0;
    // A change of the attack's length would jump: what is missing is taken away over a while.
    float m_offset = 0;
    int m_offsetLeft = 0;
    int m_offsetFrames = 1;
};

} // namespace cask::test
