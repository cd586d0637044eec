// Curves on a group of lanes, at 2, 4 or 8 times the rate: what saturation and clipper have in common.
#pragma once

#include <array>
#include <core/dsp/kernels.h>
#include <core/dsp/shape.h>
#include <optional>

namespace cask::dsp {

/// Reference: 64 times, what measures hold the others to; it is never set.
enum class Oversampling { Twice, Four, Eight, Reference };

[[nodiscard]] constexpr int factorOf(Oversampling oversampling) {
    return oversampling == Oversampling::Reference ? 64 : 2 << static_cast<int>(oversampling);
}

/// Eight channels side by side, each with its curve and its factor. What a curve changes is found apart from
/// the sound, so that the sound itself need not pass the filters of the other rate; channel by channel, so
/// that it costs what the channels cost that have a curve.
class CurveLanes {
  public:
    /// Frames of the longest block.
    static constexpr int kPiece = kPlaneFrames;

    /// By which what is changed comes late, at the rate of the sound.
    [[nodiscard]] static int latencyFrames(Oversampling oversampling, double sampleRateHz) {
        return PlaneSampler::latencyFrames(factorOf(oversampling), sampleRateHz, CurvePlanes::kCornersLate);
    }

    explicit CurveLanes(double sampleRateHz);
    /// Gives a lane its curve. Allocates.
    void place(int lane, Shape shape, Oversampling oversampling);
    /// Drive d and bias b, the latter on top of that of the curve; half the width of the knee where there is
    /// one. From the given frame of the next block on, after those of earlier frames. RT: no alloc. REQUIRES:
    /// 0
    /// <= frame < kPiece.
    void set(int lane, double drive, double bias, double kneeHalf = 0, int frame = 0) noexcept;
    void reset() noexcept;
    /// What is on its way in a lane of another, where both have the same factor and corners alike. RT: no
    /// alloc.
    void copyLane(int lane, const CurveLanes& from, int fromLane) noexcept;
    /// changed = g(sound) - sound, late, in lanes that were placed; 0 in the rest. REQUIRES: frames <=
    /// kPiece; changed is not sound. RT: no alloc, no lock.
    void process(const float* sound, float* changed, int frames) noexcept;

  private:
    static constexpr int kFactors = 4;
    struct Lane {
        bool isPlaced = false;
        std::size_t rate = 0; ///< in m_rates
        CurvePlanes curve;
        LaneBuffer kept;                ///< of the half-bands
        LaneBuffer block;               ///< what comes, then what goes, as planes; and what came before
        LaneBuffer moving;              ///< CurvePlanes::moving, made where it moves
        int given = 0;                  ///< frames of the next block whose places are known: 0 where it rests
        std::vector<CurvePlace> places; ///< of these
    };
    /// What runs at one of the rates.
    struct Rate {
        std::optional<PlaneSampler> straight; ///< of what has no corners
        std::optional<PlaneSampler> cornered;
        bool hasTape = false;
        TapeBank tape;
        LaneBuffer tapeSound;
        LaneBuffer scratch; ///< of corners
    };
    [[nodiscard]] PlaneSampler& samplerOf(const Lane& lane) noexcept;
    static void spreadPlaces(Lane& lane, int frames) noexcept;
    void processTape(std::size_t rate, int frames) noexcept;

    double m_sampleRateHz;
    std::array<Lane, kLanes> m_lanes;
    std::array<std::optional<Rate>, kFactors> m_rates; ///< those that some lane needs
    LaneBuffer m_unused;                               ///< a block of the lanes without a curve
};

} // namespace cask::dsp
