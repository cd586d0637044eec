// Two, four or eight times the rate and back, for what makes new tones: they fall where they can be removed.
#pragma once

#include <core/dsp/kernels.h>
#include <core/dsp/lane.h>
#include <vector>

namespace cask::dsp {

/// Linear-phase filters, one for each doubling of the rate (Kaiser's windowed sinc, 110 dB). The first stops
/// at half the rate that is coming in, not past it, so that no tone from above folds into the sound at all;
/// it passes 0.4535 of that rate (20 kHz at 44.1 kHz). The others have room and are short.
class Oversampler {
  public:
    /// `factor` is 2, 4 or 8; `mostFrames` is the longest block, at the rate that comes in.
    Oversampler(int factor, int mostFrames);

    [[nodiscard]] int factor() const { return 1 << m_doublings.size(); }
    /// Of up() and down() together, in frames of the rate that comes in: a whole number.
    [[nodiscard]] int latencyFrames() const { return m_latencyFrames; }

    /// The block at the high rate, frames * factor() frames, for the caller to change in place. RT: no alloc.
    [[nodiscard]] float* up(const float* in, int frames) noexcept;
    /// What up() gave, back at the rate that came in.
    void down(float* out, int frames) noexcept;
    void reset() noexcept;
    /// What is on its way in a lane of another. RT: no alloc. REQUIRES: the same factor.
    void copyLane(int lane, const Oversampler& from, int fromLane) noexcept;

  private:
    /// From one rate to twice the rate, and back.
    struct Doubling {
        std::vector<float> taps;      ///< at the higher rate, for the way down; symmetric
        std::vector<float> even, odd; ///< twice every other tap, for the way up
        LaneBuffer low;               ///< what went before, then the block, at the lower rate
        LaneBuffer high;              ///< the same at the higher rate
        [[nodiscard]] int lowHistory() const { return static_cast<int>(even.size()) - 1; }
        [[nodiscard]] int highHistory() const { return static_cast<int>(taps.size()) - 1; }
    };
    static Doubling design(int index, int mostFrames);

    const Kernels* m_kernels;
    std::vector<Doubling> m_doublings;
    int m_latencyFrames = 0;
};

} // namespace cask::dsp
