// Curves that bend a sound, on eight channels side by side, at the rate at which they work.
#pragma once

#include <core/dsp/lane.h>

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
inline constexpr int kShapes = 6;

/// What g(x) = (f(d x + b) - f(b)) / (d f'(b)) changes of a sound, g(x) - x, two frames late: 0 where the
/// curve is straight, so quiet sound passes as it is. The mean of f between two samples stands for a curve
/// with corners (antiderivative anti-aliasing of the first order, Parker, Zavalishin and Le Bivic 2016), and
/// four taps give back what that mean takes off the highs.
struct ShapeBank {
    static constexpr int kLateFrames = 2;
    static constexpr double kTapeMemory = 0.25;  ///< m
    static constexpr double kTapeMemoryMs = 0.5; ///< 63 % of the way of v
    static constexpr double kLeastKneeHalf = 1e-4;

    LaneFloats drive;                        ///< d
    LaneFloats bias;                         ///< b, with that of the curve itself
    LaneFloats offset;                       ///< f(b)
    LaneFloats back;                         ///< 1 / (d f'(b))
    LaneFloats kneeHalf;                     ///< h
    LaneFloats memory;                       ///< m; 0 in lanes of other curves
    float follow = 0;                        ///< share of its way that v goes in a frame
    std::array<LaneFloats, kShapes> isShape; ///< 1 where a lane has it
    std::array<bool, kShapes> hasShape{};    ///< in some lane

    LaneFloats x1, x2;              ///< what came one and two frames ago
    LaneFloats u1;                  ///< where that of one frame ago lay on the curve
    LaneFloats mean1, mean2, mean3; ///< means of what corners take off
    LaneFloats kept, keptStep;      ///< v, and how far it went last: where it is now is found ahead by that
    LaneFloats bent1;               ///< y of one frame ago

    void clear() noexcept { x1 = x2 = u1 = mean1 = mean2 = mean3 = kept = keptStep = bent1 = LaneFloats{}; }
    void copyState(int lane, const ShapeBank& from, int fromLane) noexcept {
        for (const auto state :
             {&ShapeBank::x1, &ShapeBank::x2, &ShapeBank::u1, &ShapeBank::mean1, &ShapeBank::mean2,
              &ShapeBank::mean3, &ShapeBank::kept, &ShapeBank::keptStep, &ShapeBank::bent1})
            (this->*state)[lane] = (from.*state)[fromLane];
    }
};

} // namespace cask::dsp
