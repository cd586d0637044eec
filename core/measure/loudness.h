// Loudness after EBU R 128 / ITU-R BS.1770 by libebur128; true peak by our own, faster interpolator.
#pragma once

#include <ebur128.h>

#include <core/base/units.h>
#include <core/dsp/true_peak.h>
#include <memory>
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
    struct Closer {
        void operator()(ebur128_state* state) const { ebur128_destroy(&state); }
    };
    void open();
    double m_sampleRateHz;
    int m_channels;
    std::unique_ptr<ebur128_state, Closer> m_state;
    std::vector<dsp::TruePeakMeter> m_truePeaks; // one per channel
};

/// Integrated loudness of a whole sound, LUFS: one or two channels of one length.
[[nodiscard]] double integratedLufs(const std::vector<std::vector<float>>& sound, double sampleRateHz);

} // namespace cask::measure
