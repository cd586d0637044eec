// Curves that bend a sound: of one channel over planes, or for tape of eight channels side by side.
#pragma once

#include <core/dsp/half_band.h>

namespace cask::dsp {

/// The curves f, each with a slope of 1 at 0.
enum class Shape {
    Soft, ///< tanh u: odd harmonics alone
    Warm, ///< (tanh(u + 1/2) - tanh(1/2)) / (1 - tanh^2(1/2)): one side gives way sooner, even and odd
    Tape, ///< y = tanh(u + m v), f = y - m v, where v follows y slowly: what came before moves the curve
    Hard, ///< u between -1 and 1, that beyond
    Fold, ///< sin u: what goes past a quarter of a turn comes back
    Knee  ///< of the clipper: as Hard, with a parabola from 1 - h to 1 + h
};

[[nodiscard]] constexpr bool hasCorners(Shape shape) {
    return shape == Shape::Hard || shape == Shape::Knee;
}

/// Where a sound lies on a curve: g(x) = (f(d x + b) - f(b)) / (d f'(b)).
struct CurvePlace {
    float drive = 1;    ///< d
    float bias = 0;     ///< b, with that of the curve itself
    float offset = 0;   ///< f(b)
    float back = 1;     ///< 1 / (d f'(b))
    float kneeHalf = 1; ///< h
    static constexpr double kLeastKneeHalf = 1e-4;
    static constexpr std::array kAll{&CurvePlace::drive, &CurvePlace::bias, &CurvePlace::offset,
                                     &CurvePlace::back, &CurvePlace::kneeHalf};
    friend bool operator==(const CurvePlace&, const CurvePlace&) = default;
};

/// A curve of one channel, which gives what it changes of a sound, g(x) - x: 0 where it is straight, so quiet
/// sound passes as it is. The mean of f between two samples stands for a curve with corners (antiderivative
/// anti-aliasing of the first order, Parker, Zavalishin and Le Bivic 2016), and four taps give back what that
/// mean takes off the highs; those are kCornersLate frames late.
struct CurvePlanes {
    static constexpr int kCornersLate = 2;

    Shape shape = Shape::Soft;
    CurvePlace place;
    /// Where the place moves: kPlanes planes at the rate of the sound for each of its values in turn, or
    /// null.
    const float* moving = nullptr;
    float lastAt = 0;             ///< where the last sample lay on the curve
    std::array<float, 3> means{}; ///< of what corners take off, the newest first
    float* scratch = nullptr;     ///< of what has corners: scratchFloats()

    [[nodiscard]] static std::size_t scratchFloats(int factor) {
        return static_cast<std::size_t>(2 * kPlanes * factor * (kBefore + kColumns));
    }
    static constexpr int kBefore = 8; ///< columns of the scratch planes, of which the last one is used
};

/// Tape in eight lanes, frame by frame, because what came before moves it.
struct TapeBank {
    static constexpr double kMemory = 0.25;  ///< m
    static constexpr double kMemoryMs = 0.5; ///< 63 % of the way of v

    LaneFloats drive, bias, offset, back; ///< as in CurvePlace
    float follow = 0;                     ///< share of its way that v goes in a frame
    LaneFloats kept, keptStep; ///< v, and how far it went last: where it is now is found ahead by that
    LaneFloats bent1;          ///< y of one frame ago

    void copyState(int lane, const TapeBank& from, int fromLane) noexcept {
        for (const auto state : {&TapeBank::kept, &TapeBank::keptStep, &TapeBank::bent1})
            (this->*state)[lane] = (from.*state)[fromLane];
    }
};

} // namespace cask::dsp
