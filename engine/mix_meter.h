// What the mix is like while it plays: loudness, true peak, how alike its sides are.
#pragma once

#include <core/dsp/true_peak.h>
#include <core/measure/loudness.h>
#include <span>

namespace cask::engine {

/// Control thread only.
class MixMeter {
  public:
    explicit MixMeter(double sampleRateHz);

    /// Interleaved stereo.
    void add(std::span<const float> block);
    /// Loudness and correlation begin anew; the held peak stays.
    void restart();

    [[nodiscard]] double momentaryLufs() const { return m_loudness.momentaryLufs(); }
    /// Greatest true peak since it was cleared, dBTP.
    [[nodiscard]] double heldPeakDb() const;
    void clearHeldPeak();
    /// Of left and right over about 0.4 s: 1 the same, 0 nothing in common, -1 the same with inverted
    /// polarity; 0 in silence.
    [[nodiscard]] double correlation() const;

  private:
    measure::LoudnessMeter m_loudness;
    std::array<dsp::TruePeakMeter, 2> m_peaks;
    double m_step; // of the running means, a frame
    double m_left = 0, m_right = 0, m_both = 0;
};

} // namespace cask::engine
