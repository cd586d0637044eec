// Peaks between the samples.
#pragma once

#include <array>
#include <span>

namespace cask::dsp {

struct Kernels;

/// Interpolation at 8 times the rate with a Kaiser-windowed sinc of 24 taps: finer than the 4 times that
/// ITU-R BS.1770 asks for, so that at 18 kHz and 48 kHz rate a peak is under-read by less than 0.1 dB.
struct PeakTaps {
    static constexpr int kPhases = 8;
    static constexpr int kTaps = 24;
    /// Frames by which the interpolated stretch lies behind the newest sample.
    static constexpr int kDelayFrames = kTaps / 2;

    /// [tap, oldest sample first][phase - 1]: the first phase is the sample itself.
    std::array<std::array<float, kPhases - 1>, kTaps> byTap{};
    /// No interpolated peak exceeds the greatest sample of its window by more than this factor.
    float bound = 1;
};

[[nodiscard]] const PeakTaps& peakTaps();

/// Interpolated peaks of one channel, streaming, looked for only where they can matter.
class PeakFinder {
  public:
    static constexpr int kMostFrames = 64;

    PeakFinder();
    void reset() { m_line = {}; }
    /// Of all that was taken last, and some before it.
    [[nodiscard]] float greatestSample() const { return m_greatest; }
    /// Takes the next samples. False when no peak can pass `limit`; otherwise peaks[n] is the greatest value
    /// of the stretch that lies PeakTaps::kDelayFrames behind sample n, or 0 where that can't pass it.
    /// `peaks` has room for kMostFrames. RT: no alloc, no lock. REQUIRES: frames <= kMostFrames.
    bool find(const float* samples, int stride, int frames, float limit, float* peaks) noexcept;

  private:
    static constexpr int kBefore = PeakTaps::kTaps - 1;
    const Kernels* m_kernels;
    /// The last kBefore samples, then the new ones; the greatest of whole cells of it are looked for.
    std::array<float, kBefore + kMostFrames + 1> m_line{};
    float m_greatest = 0;
};

/// Greatest true peak of a channel, streaming.
class TruePeakMeter {
  public:
    void add(std::span<const float> samples, int stride = 1) noexcept;
    [[nodiscard]] float peak() const { return m_peak; }
    [[nodiscard]] float samplePeak() const { return m_samplePeak; }
    /// From here on: what came before is still interpolated with, so that nothing looks like a step.
    void clearPeak() { m_peak = 0; }

  private:
    PeakFinder m_finder;
    float m_peak = 0;
    float m_samplePeak = 0;
};

} // namespace cask::dsp
