// Integrated loudness alone (ITU-R BS.1770-4), for the many tracks of an export: a fifth of the time of the
// whole meter, which also follows loudness over time.
#pragma once

#include <array>
#include <core/base/units.h>
#include <span>
#include <vector>

namespace cask::measure {

/// Streaming meter for interleaved sound of one or two channels. Not thread-safe.
class IntegratedLoudness {
  public:
    IntegratedLoudness(double sampleRateHz, int channels);
    void add(std::span<const float> interleaved);
    /// LUFS; kSilenceDb when nothing passes the gates.
    [[nodiscard]] double lufs() const;

  private:
    /// Second-order section in transposed direct form II.
    struct Section {
        double b0, b1, b2, a1, a2;
    };
    struct State {
        double s1 = 0;
        double s2 = 0;
    };
    static constexpr int kMostChannels = 2;

    int m_channels;
    Section m_shelf;
    Section m_highPass;
    std::array<std::array<State, 2>, kMostChannels> m_states{}; ///< [channel][section]
    Frames m_stepFrames;                                        ///< 100 ms
    Frames m_inStep = 0;
    double m_sum = 0;               ///< of squares of all channels in this step
    std::vector<double> m_powers{}; ///< mean square of each step, channels added
};

} // namespace cask::measure
