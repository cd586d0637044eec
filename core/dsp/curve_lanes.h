// Curves on a group of lanes, at 2, 4 or 8 times the rate: what saturation and clipper have in common.
#pragma once

#include <array>
#include <core/dsp/kernels.h>
#include <core/dsp/oversampler.h>
#include <core/dsp/shape_bank.h>
#include <optional>

namespace cask::dsp {

/// Reference: 64 times, what measures hold the others to; it is never set.
enum class Oversampling { Twice, Four, Eight, Reference };

[[nodiscard]] constexpr int factorOf(Oversampling oversampling) {
    return oversampling == Oversampling::Reference ? 64 : 2 << static_cast<int>(oversampling);
}

/// Eight channels side by side, each with its curve and its factor. What a curve changes is found apart from
/// the sound, so that the sound itself need not pass the filters of the other rate.
class CurveLanes {
  public:
    /// Frames of the longest block.
    static constexpr int kPiece = 64;

    /// By which what is changed comes late, at the rate of the sound.
    [[nodiscard]] static int latencyFrames(Oversampling oversampling, double sampleRateHz) {
        return Oversampler::latencyFrames(factorOf(oversampling), sampleRateHz, ShapeBank::kLateFrames);
    }

    explicit CurveLanes(double sampleRateHz);
    /// Gives a lane its curve. Allocates.
    void place(int lane, Shape shape, Oversampling oversampling);
    /// Drive d and bias b, the latter on top of that of the curve; half the width of the knee where there is
    /// one. RT: no alloc.
    void set(int lane, double drive, double bias, double kneeHalf = 0) noexcept;
    void reset() noexcept;
    /// What is on its way in a lane of another, where both have the same factor. RT: no alloc.
    void copyLane(int lane, const CurveLanes& from, int fromLane) noexcept;
    /// changed = g(sound) - sound, late, in lanes that were placed; 0 in the rest. REQUIRES: frames <=
    /// kPiece; changed is not sound. RT: no alloc, no lock.
    void process(const float* sound, float* changed, int frames) noexcept;

  private:
    static constexpr int kFactors = 4;
    /// What runs at one of the rates.
    struct Fast {
        Oversampler oversampler;
        ShapeBank bank;
        LaneFloats uses; ///< 1: the lane does
    };

    double m_sampleRateHz;
    std::array<Shape, kLanes> m_shapes{};
    std::array<std::optional<Fast>, kFactors> m_fast; ///< those that some lane needs
    LaneBuffer m_part;
};

} // namespace cask::dsp
