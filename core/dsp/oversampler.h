// Two, four or eight times the rate and back, for what makes new tones: they fall where they can be removed.
#pragma once

#include <core/dsp/kernels.h>
#include <core/dsp/lane.h>
#include <vector>

namespace cask::dsp {

/// Linear-phase half-bands, one for each doubling of the rate (Kaiser's windowed sinc; 90 dB, from 8 times on
/// 110 dB): every other tap but the middle one is zero. They pass 20 kHz, from 48 kHz on 0.4167 of the
/// rate that comes in; what lies between there and half the rate may fold,
/// but onto no tone below.
class Oversampler {
  public:
    /// `factor` is 2, 4, 8 or 64; `mostFrames` is the longest block, at the rate that comes in. `lateFrames`:
    /// by so much is what the caller does at the high rate late, in frames there.
    Oversampler(int factor, double rateHz, int mostFrames, int lateFrames = 0);

    [[nodiscard]] int factor() const { return 1 << m_doublings.size(); }
    /// Of up(), the caller and down() together, in frames of the rate that comes in: a whole number.
    [[nodiscard]] int latencyFrames() const { return m_latencyFrames; }

    /// The same without making one.
    [[nodiscard]] static int latencyFrames(int factor, double rateHz, int lateFrames);

    /// The block at the high rate, frames * factor() frames, for the caller to change in place. RT: no alloc.
    [[nodiscard]] float* up(const float* in, int frames) noexcept;
    /// What up() gave, back at the rate that came in.
    void down(float* out, int frames) noexcept;
    void reset() noexcept;
    /// What is on its way in a lane of another. RT: no alloc. REQUIRES: the same factor and rate.
    void copyLane(int lane, const Oversampler& from, int fromLane) noexcept;

  private:
    /// From one rate to twice the rate, and back.
    struct Doubling {
        std::vector<float> taps; ///< those beside the middle one, which is 1/2; symmetric, their sum is 1/2
        std::vector<float> twice;
        LaneBuffer low;     ///< what went before, then the block, at the lower rate
        LaneBuffer high;    ///< the same at the higher rate
        int waitFrames = 0; ///< at the higher rate, on the way down, for whole frames in all
        [[nodiscard]] int middle() const { return static_cast<int>(taps.size()) - 1; }
        [[nodiscard]] int lowHistory() const { return static_cast<int>(taps.size()) - 1; }
        [[nodiscard]] int highHistory() const { return 2 * middle() + waitFrames; }
    };
    static Doubling design(int index, int factor, double rateHz, int mostFrames, int waitFrames);

    const Kernels* m_kernels;
    std::vector<Doubling> m_doublings;
    int m_latencyFrames = 0;
};

} // namespace cask::dsp
