// Curves of a saturation on eight channels side by side, at the rate at which they work.
#pragma once

#include <core/dsp/lane.h>

namespace cask::dsp {

/// The curves f, each with a slope of 1 at 0. Stored by the names that KindOf gives them, in this order.
enum class Shape {
    Soft, ///< tanh u: odd harmonics alone
    Warm, ///< (tanh(u + 1/2) - tanh(1/2)) / (1 - tanh^2(1/2)): one side gives way sooner, even and odd
    Hard, ///< u between -1 and 1, that beyond
    Fold  ///< sin u: what goes past a quarter of a turn comes back
};
inline constexpr int kShapes = 4;

/// y = (f(d x + b) - f(b)) / (d f'(b)), two frames late. The mean of f between two samples stands for the
/// hard curve (antiderivative anti-aliasing of the first order, Parker, Zavalishin and Le Bivic 2016), and
/// four taps give back what that mean takes off the highs.
struct ShapeBank {
    static constexpr int kLateFrames = 2;

    LaneFloats drive;                        ///< d
    LaneFloats bias;                         ///< b, with that of the curve itself
    LaneFloats offset;                       ///< f(b)
    LaneFloats back;                         ///< 1 / (d f'(b))
    std::array<LaneFloats, kShapes> isShape; ///< 1 where a lane has it
    std::array<bool, kShapes> hasShape{};    ///< in some lane

    LaneFloats u1, u2;              ///< what was shaped one and two frames ago
    LaneFloats mean1, mean2, mean3; ///< means of the hard curve

    void clear() noexcept { u1 = u2 = mean1 = mean2 = mean3 = LaneFloats{}; }
    void copyState(int lane, const ShapeBank& from, int fromLane) noexcept {
        for (const auto state :
             {&ShapeBank::u1, &ShapeBank::u2, &ShapeBank::mean1, &ShapeBank::mean2, &ShapeBank::mean3})
            (this->*state)[lane] = (from.*state)[fromLane];
    }
};

} // namespace cask::dsp
