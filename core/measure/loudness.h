// Loudness after EBU R 128 / ITU-R BS.1770, and true peak.
#pragma once

#include <core/base/units.h>
#include <core/dsp/true_peak.h>
#include <core/measure/step_powers.h>
#include <span>
#include <vector>

namespace cask::measure {

struct Loudness {
    double integratedLufs = kSilenceDb;
    double rangeLu = 0;
    double truePeakDb = kSilenceDb; ///< dBTP
    double samplePeakDb = kSilenceDb;
};

/// Streaming meter for interleaved sound. Not thread-safe; allocates while it runs, so not for the audio
/// thread.
class LoudnessMeter {
  public:
    /// A mono file counts as one channel, as it would from one loudspeaker.
    LoudnessMeter(double sampleRateHz, int channels);

    void add(std::span<const float> interleaved);
    void reset();
    [[nodiscard]] Loudness result() const;
    /// Over the last 0.4 s and 3 s; kSilenceDb when there is nothing.
    [[nodiscard]] double momentaryLufs() const;
    [[nodiscard]] double shortTermLufs() const;

  private:
    double m_sampleRateHz;
    int m_channels;
    StepPowers m_powers;
    std::vector<dsp::TruePeakMeter> m_peaks; // one per channel
};

/// Integrated loudness of a whole sound, LUFS: one or two channels of one length.
[[nodiscard]] double integratedLufs(const std::vector<std::vector<float>>& sound, double sampleRateHz);

} // namespace cask::measure
