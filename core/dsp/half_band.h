// Half-band filters over planes: from one rate to twice the rate, and back, of one channel.
#pragma once

#include <core/dsp/lane.h>
#include <vector>

namespace cask::dsp {

/// A block of one channel as planes: time lies side by side, so that one instruction serves many moments.
/// Of P planes, plane p holds frames p, P + p, 2 P + p ..., a column each. At twice the rate there are twice
/// as many planes of as many columns. So a filter's output p meets whole registers of its input whatever the
/// tap, and one register serves the outputs beside it too.
inline constexpr int kPlanes = 4;    ///< at the rate of the sound
inline constexpr int kColumns = 128; ///< of the longest block: 512 frames
inline constexpr int kPlaneFrames = kPlanes * kColumns;
/// In memory so many columns lie before each plane, for what came before the block.
inline constexpr int kPlaneBefore = 32;
inline constexpr int kPlaneStride = kPlaneBefore + kColumns; ///< from one plane to the next
/// Whole registers of columns are copied.
inline constexpr int kPlaneStep = 8;

/// A half-band between two sets of planes that lie in memory with what went before in front of each.
struct HalfBand {
    static constexpr int kAtOnce = 4; ///< outputs that share what they read
    std::vector<float> taps;          ///< without zeros and middle, a multiple of kAtOnce; then kAtOnce zeros
    std::vector<int> from;            ///< place of the first column of what meets tap t of output i, at i + t
    std::vector<int> middle;          ///< place of what meets the middle tap, by output
    int outputs = 0;                  ///< sums, a multiple of kAtOnce
};

/// 2, 4, 8 or 64 times the rate and back, one half-band for each doubling. It works on one channel at a time;
/// what a channel leaves behind is kept by the caller. What lies between the pass band (20 kHz at 44.1 kHz,
/// 0.385 of the rate from 48 kHz on) and half the rate may fold, but onto little below the pass band.
class PlaneSampler {
  public:
    /// `factor` is 2, 4, 8 or 64. What the caller does at the high rate is late by `lateFrames` of it;
    /// latency is as if they were `mostLateFrames`.
    PlaneSampler(int factor, double rateHz, int mostLateFrames, int lateFrames);

    [[nodiscard]] int factor() const { return m_factor; }
    /// Planes at the high rate.
    [[nodiscard]] int planes() const { return kPlanes * m_factor; }
    /// Of up(), the caller and down() together, in frames of the rate that comes in: a whole number.
    [[nodiscard]] static int latencyFrames(int factor, double rateHz, int mostLateFrames);

    /// Floats that a channel keeps between blocks, beside the block itself. Those of up() and of down()
    /// follow each other.
    [[nodiscard]] std::size_t keptFloats() const { return m_keptFloats; }
    /// Of a channel's block and what came before it.
    static constexpr std::size_t kBlockFloats = static_cast<std::size_t>(kPlanes) * kPlaneStride;
    /// The block, kPlanes planes behind what came before them, becomes that at the high rate in high(); what
    /// comes before the next one is left in it. RT: no alloc, no lock.
    void up(float* kept, float* block, int frames) noexcept;
    /// planes() planes, to be changed in place.
    [[nodiscard]] float* high() noexcept { return m_falls.back().block(); }
    /// And back into the block. RT: no alloc, no lock.
    void down(float* kept, float* block, int frames) noexcept;

  private:
    /// Planes that a half-band reads.
    struct Stage {
        HalfBand band;
        int planes = 0;
        int kept = 0;     ///< columns before them that are needed
        LaneBuffer sound; ///< none of the first: a channel's block
        [[nodiscard]] float* block() { return sound.data() + kPlaneBefore; }
        [[nodiscard]] std::size_t keptFloats() const { return static_cast<std::size_t>(planes * kept); }
        /// The place of a frame counted from the first of the block, which may lie before it.
        [[nodiscard]] int placeOf(int frame) const;
        void restore(const float* from, float* sound) const noexcept;
        void keep(const float* sound, float* to, int frames) const noexcept;
    };
    static Stage makeStage(int planes, int history);
    static Stage makeRise(int index, int factor, double rateHz);
    /// `waitFrames`, at its higher rate, make whole frames of all.
    static Stage makeFall(int index, int factor, double rateHz, int waitFrames);

    int m_factor;
    std::vector<Stage> m_rises, m_falls; ///< by their lower rate
    std::size_t m_keptFloats = 0;
};

} // namespace cask::dsp
