// Look-ahead limiter that keeps the true peak under a ceiling; below it, sound passes bit for bit, only
// later.
#pragma once

#include <array>
#include <core/dsp/true_peak.h>
#include <span>
#include <vector>

namespace cask::dsp {

/// One time for the way back, or a second, slower one for what has been held down for long.
enum class LimiterRelease { Fixed, Programme };

struct LimiterSettings {
    double ceilingDb = -1;    ///< dBTP
    double releaseMs = 80;    ///< time to 63 % of the way back
    double lookAheadMs = 1.5; ///< over which the gain goes down before a peak
    LimiterRelease release = LimiterRelease::Fixed;
    friend bool operator==(const LimiterSettings&, const LimiterSettings&) = default;
};

/// Two linked channels. The needed gain is held over the look-ahead and smoothed by a moving average of the
/// same length, so it arrives before the peak does and never late. Peaks are looked for between the samples
/// at 8 times the rate (as ITU-R BS.1770 does at 4 times).
///
/// Release. Fixed: the gain comes back by one-pole steps, 63 % in the release. Programme: beside that a slow
/// part, 70 % of the reduction that is asked for, reached with four times the release and left with six
/// times; the lower gain of both is heard. So single peaks recover as set, and what is held down for long
/// comes back slowly, with less of the low end bent.
class Limiter {
  public:
    /// Allocates. All sizes depend on the rate and the look-ahead alone.
    void prepare(double sampleRateHz, double lookAheadMs = LimiterSettings().lookAheadMs);
    /// All but the look-ahead, which stays as it was prepared.
    void set(const LimiterSettings& settings);
    void reset();
    /// The other's sound, with this one's settings; nothing where it was prepared for another look-ahead.
    /// RT: no alloc. REQUIRES: both prepared for the same rate.
    void copyStateFrom(const Limiter& other) noexcept;
    /// In place; sample n of a channel is channel[n * stride]. RT: no alloc, no lock.
    void process(float* left, float* right, int stride, int frames) noexcept;
    /// Frames from in to out.
    [[nodiscard]] static int latencyFrames(const LimiterSettings& settings, double sampleRateHz);
    [[nodiscard]] int latencyFrames() const { return m_lookahead + PeakTaps::kDelayFrames; }
    /// Least gain (linear) since the last call, for display.
    [[nodiscard]] float takeLeastGain() noexcept;

  private:
    static constexpr int kPiece = PeakFinder::kMostFrames;

    /// Gains each frame of a piece asks for; false when all are 1.
    [[nodiscard]] bool neededGains(const float* left, const float* right, int stride, int frames,
                                   double* needed) noexcept;
    void holdLeast(std::span<double> gains) noexcept;
    void followLeast(std::span<const double> least, float* gains) noexcept;
    void delayPiece(float* left, float* right, int stride, int frames, const float* gains) noexcept;

    double m_rateHz = 48000;
    double m_ceilingLinear = 1;
    double m_release = 0;
    bool m_isProgramme = false;
    double m_slowDown = 0, m_slowUp = 0; ///< steps of the slow part
    double m_slow = 0;                   ///< what it takes away, linear
    int m_lookahead = 0;
    std::array<PeakFinder, 2> m_finders;
    std::vector<float> m_delay; // latency frames of two channels
    int m_delayAt = 0;
    // Least value over a window: values that may still become the least, oldest first.
    struct Entry {
        double gain;
        long long frame;
    };
    std::vector<Entry> m_least;
    int m_leastFirst = 0;
    int m_leastCount = 0;
    long long m_frame = 0;
    double m_follow = 1;
    std::vector<double> m_average;
    int m_averageAt = 0;
    double m_averageSum = 0;
    double m_averageShare = 1; // one over the frames averaged
    int m_openFrames = 0;      // frames since the gain was asked below 1, up to where all of it is forgotten
    float m_leastGain = 1;
};

} // namespace cask::dsp
