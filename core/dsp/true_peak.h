// Peaks between the samples.
#pragma once

#include <array>
#include <span>

namespace cask::dsp {

/// Interpolation at 8 times the rate with a Kaiser-windowed sinc of 24 taps: finer than the 4 times that
/// ITU-R BS.1770 asks for, so that at 18 kHz and 48 kHz rate a peak is under-read by less than 0.1 dB.
class PeakInterpolator {
  public:
    static constexpr int kPhases = 8;
    static constexpr int kTaps = 24;
    /// Frames by which the interpolated stretch lies behind the newest sample.
    static constexpr int kDelayFrames = kTaps / 2;

    PeakInterpolator();
    /// Greatest absolute value between the samples kTaps / 2 and kTaps / 2 - 1 behind the newest of
    /// `oldest[0..kTaps)`.
    [[nodiscard]] float peak(const float* oldest) const noexcept;
    /// No interpolated peak exceeds the greatest sample of its window by more than this factor.
    [[nodiscard]] float bound() const { return m_bound; }

  private:
    std::array<std::array<float, kTaps>, kPhases> m_taps{}; // in the order of the samples, oldest first
    float m_bound = 1;
};

/// Greatest true peak of a channel, streaming. Interpolates only where the result could matter: fast and
/// exact.
class TruePeakMeter {
  public:
    void add(std::span<const float> samples, int stride = 1) noexcept;
    [[nodiscard]] float peak() const { return m_peak; }

  private:
    PeakInterpolator m_interpolator;
    std::array<float, 2 * PeakInterpolator::kTaps> m_history{};
    int m_at = 0;
    int m_loudFrames = 0;
    float m_peak = 0;
};

} // namespace cask::dsp
