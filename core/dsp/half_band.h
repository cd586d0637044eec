// Half-band filters over planes: from one rate to twice the rate, and back, of one channel.
#pragma once

#include <core/dsp/lane.h>
#include <vector>

namespace cask::dsp {

/// A block of one channel as planes: time lies side by side, so that one instruction serves many moments.
/// Of P planes, plane p holds frames p, P + p, 2 P + p ..., a column each. At twice the rate there are twice
/// as many planes of as many columns. So a filter's output p meets whole registers of its input whatever the
/// tap, and one register serves the outputs beside it too.
inline constexpr int kPlanes = 4;   ///< at the rate of the sound
inline constexpr int kColumns = 64; ///< of the longest block: 256 frames
inline constexpr int kPlaneFrames = kPlanes * kColumns;
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

    /// Floats that a channel keeps between blocks. Those of up() and of down() follow each other.
    [[nodiscard]] std::size_t keptFloats() const { return m_keptFloats; }
    /// The block, kPlanes planes, at the high rate: planes() of kColumns without a gap. RT: no alloc, no
    /// lock.
    [[nodiscard]] const float* up(float* kept, const float* block, int frames) noexcept;
    /// Where down() takes what was made of it: planes() of kColumns, `highStride` apart.
    [[nodiscard]] float* high() noexcept { return m_falls.back().block(); }
    [[nodiscard]] int highStride() const { return m_falls.back().stride(); }
    /// Gives kPlanes planes. RT: no alloc, no lock.
    void down(float* kept, float* out, int frames) noexcept;

  private:
    /// Planes with room for what went before.
    struct Stage {
        HalfBand band;
        int planes = 0;
        int before = 0; ///< columns of what went before
        int kept = 0;   ///< of these, the last ones that are needed
        LaneBuffer sound;
        [[nodiscard]] int stride() const { return before + kColumns; }
        [[nodiscard]] float* block() { return sound.data() + before; }
        [[nodiscard]] std::size_t keptFloats() const { return static_cast<std::size_t>(planes * kept); }
        /// The place of a frame counted from the first of the block, which may lie before it.
        [[nodiscard]] int placeOf(int frame) const;
        void restore(const float* from) noexcept;
        void keep(float* to, int frames) const noexcept;
    };
    static Stage makeStage(int planes, int history);
    static Stage makeRise(int index, int factor, double rateHz);
    /// `waitFrames`, at its higher rate, make whole frames of all.
    static Stage makeFall(int index, int factor, double rateHz, int waitFrames);

    int m_factor;
    std::vector<Stage> m_rises, m_falls; ///< by their lower rate
    std::size_t m_keptFloats = 0;
    LaneBuffer m_top; ///< what up() gives
};

} // namespace cask::dsp
