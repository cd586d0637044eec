// Integrated loudness alone (ITU-R BS.1770-4), for the many tracks of an export: a fifth of the time of the
// whole meter, which also follows loudness over time.
#pragma once

#include <array>
#include <core/base/units.h>
#include <core/dsp/kernels.h>
#include <core/dsp/section_design.h>
#include <span>
#include <vector>

namespace cask::measure {

/// The standard's two filters, shelf first.
[[nodiscard]] std::array<dsp::SvfCoefficients, 2> loudnessFilters(double sampleRateHz);
/// The same on all lanes.
[[nodiscard]] dsp::SectionBank loudnessBank(double sampleRateHz);
/// Integrated loudness of the mean squares of filtered steps of 100 ms, channels added: LUFS; kSilenceDb when
/// nothing passes the gates.
[[nodiscard]] double gatedLufs(std::span<const double> stepPowers);

/// Streaming meter for interleaved sound of one or two channels. Not thread-safe.
class IntegratedLoudness {
  public:
    IntegratedLoudness(double sampleRateHz, int channels);
    void add(std::span<const float> interleaved);
    /// LUFS; kSilenceDb when nothing passes the gates.
    [[nodiscard]] double lufs() const;

  private:
    /// Both channels side by side; one alone is in the first.
    using Pair = double __attribute__((vector_size(2 * sizeof(double))));
    /// The two sections one after another, as differences of their last values: each value waits only for the
    /// one before it times one factor.
    struct Memory {
        Pair in[2]{}, between[2]{}, out[2]{}; ///< the last value and the one before it
    };
    struct Section {
        double b0, b1, b2, a1, a2;
    };
    static constexpr int kMostChannels = 2;

    int m_channels;
    Section m_shelf;
    Section m_highPass;
    Memory m_memory;
    Frames m_stepFrames; ///< 100 ms
    Frames m_inStep = 0;
    double m_sum = 0;               ///< of squares of all channels in this step
    std::vector<double> m_powers{}; ///< mean square of each step, channels added
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
