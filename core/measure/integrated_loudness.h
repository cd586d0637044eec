// Integrated loudness alone (ITU-R BS.1770-4), for the many tracks of an export.
#pragma once

#include <array>
#include <core/dsp/kernels.h>
#include <core/measure/step_powers.h>
#include <span>
#include <vector>

namespace cask::measure {

/// The standard's two filters on all lanes.
[[nodiscard]] dsp::SectionBank loudnessBank(double sampleRateHz);

/// Streaming meter for interleaved sound. Not thread-safe.
class IntegratedLoudness {
  public:
    IntegratedLoudness(double sampleRateHz, int channels) : m_powers(sampleRateHz, channels) {}
    void add(std::span<const float> interleaved) { m_powers.add(interleaved); }
    /// LUFS; kSilenceDb when nothing passes the gates.
    [[nodiscard]] double lufs() const { return gatedLufs(m_powers.steps()); }

  private:
    StepPowers m_powers;
};

/// Streaming meter of eight lanes at once, in single precision: within 0.001 LU of the other.
class LaneLoudness {
  public:
    explicit LaneLoudness(double sampleRateHz);
    void add(const float* lanes, int frames);
    /// LUFS of one or two channels, from a lane on.
    [[nodiscard]] double lufs(int lane, int channels) const;

  private:
    static constexpr int kPiece = 256;
    dsp::SectionBank m_filter;
    int m_stepFrames; ///< 100 ms
    int m_inStep = 0;
    std::array<double, dsp::kLanes> m_sums{};
    std::vector<std::array<double, dsp::kLanes>> m_powers; ///< mean square of each step
    dsp::LaneBuffer m_piece = dsp::LaneBuffer(static_cast<std::size_t>(kPiece) * dsp::kLanes);
};

} // namespace cask::measure
