// Hits of one file.
#pragma once

#include <core/base/units.h>
#include <span>
#include <vector>

namespace cask::measure {

enum class HitClass { Accent, Normal, Ghost };

/// One hit as heard in one file. Owner and final class need all microphones together; until they are known,
/// every hit counts as the file's own.
struct Hit {
    double timeS = 0; ///< onset: where the 1 ms envelope first comes within 20 dB of the maximum that follows
    double levelDb = 0;  ///< peak of the 20 ms after the onset, dBFS
    double velocity = 0; ///< 0-1 within the file
    HitClass hitClass = HitClass::Normal;
    double confidence = 1; ///< 0-1
};

/// Streaming detector on one file. Keeps an envelope of one value per quarter millisecond.
class OnsetFinder {
  public:
    OnsetFinder(double sampleRateHz, int channels);
    void add(std::span<const float> interleaved);
    /// Rises of at least 5 dB over the 30 ms before that stand 12 dB above the floor and within 40 dB of the
    /// strongest.
    [[nodiscard]] std::vector<Hit> result() const;

  private:
    double m_sampleRateHz;
    std::size_t m_channels;
    double m_stepFrames; // frames per envelope value, not whole
    double m_nextStep;
    Frames m_frames = 0;
    float m_peak = 0;
    std::vector<float> m_envelope; // greatest absolute sample of each step
};

} // namespace cask::measure
