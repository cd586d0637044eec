// K-weighted power in steps of 100 ms (ITU-R BS.1770-4, EBU Tech 3341 and 3342): what all loudness is made
// of.
#pragma once

#include <array>
#include <core/base/units.h>
#include <core/dsp/section_design.h>
#include <span>
#include <vector>

namespace cask::measure {

/// The standard's two filters, shelf first.
[[nodiscard]] std::array<dsp::SvfCoefficients, 2> loudnessFilters(double sampleRateHz);
/// Integrated loudness of the mean squares of filtered steps of 100 ms, channels added: LUFS; kSilenceDb when
/// nothing passes the gates.
[[nodiscard]] double gatedLufs(std::span<const double> stepPowers);
/// Range of the loudness of 3 s, a second after the other (Tech 3342), LU; 0 when nothing passes the gates.
[[nodiscard]] double loudnessRangeLu(std::span<const double> stepPowers);
/// LUFS of a mean square, channels added; at least kSilenceDb.
[[nodiscard]] double lufsOf(double power);

/// Streaming, for interleaved sound of any number of channels, all of them weighed alike. Not thread-safe.
class StepPowers {
  public:
    StepPowers(double sampleRateHz, int channels);
    void add(std::span<const float> interleaved);
    /// Mean squares of the whole steps of 100 ms so far, channels added. What is not a number counts as
    /// silence.
    [[nodiscard]] const std::vector<double>& steps() const { return m_steps; }
    /// Mean square over the last so many 10 ms, at most kMostParts; what was before the sound is silence.
    [[nodiscard]] double meanOfLast(int parts) const;

    static constexpr int kParts = 10;      ///< of a step
    static constexpr int kMostParts = 300; ///< 3 s

  private:
    /// Two channels side by side; one alone is in the first.
    using Pair = double __attribute__((vector_size(2 * sizeof(double))));
    /// The two sections one after another, as differences of their last values: each value waits only for the
    /// one before it times one factor.
    struct Memory {
        Pair in[2]{}, between[2]{}, out[2]{}; ///< the last value and the one before it
    };
    struct Section {
        double b0, b1, b2, a1, a2;
    };
    /// Sum of the squares of so many frames of one or two channels that are `stride` apart.
    double squaresOf(const float* from, int stride, bool isPair, Frames frames, Memory& memory) const;

    int m_channels;
    Section m_shelf;
    Section m_highPass;
    std::vector<Memory> m_memories; ///< of each two channels
    Frames m_stepFrames;            ///< 100 ms
    Frames m_inStep = 0;
    int m_part = 0;      ///< of the step
    double m_sum = 0;    ///< of squares of all channels in this part
    double m_ofStep = 0; ///< and in the parts of this step before it
    std::array<double, kMostParts> m_lastParts{};
    int m_at = 0; ///< of the next part among the last ones
    std::vector<double> m_steps;
};

} // namespace cask::measure
