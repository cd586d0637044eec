#include "core/dsp/drive_curve.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>

namespace cask::dsp {
namespace {

/// f and f' of a shape with its own bias.
struct Curve {
    Shape shape;
    double rest = 0; ///< of tape
    [[nodiscard]] double at(double u) const {
        switch (shape) {
        case Shape::Hard:
        case Shape::Knee:
            return std::clamp(u, -1.0, 1.0);
        case Shape::Fold:
            return std::sin(u);
        case Shape::Tape:
            return std::tanh(u + TapeBank::kMemory * rest) - TapeBank::kMemory * rest;
        default:
            return std::tanh(u);
        }
    }
};

} // namespace

double driveCurve(const SaturationSettings& s, double x) {
    const double d = dbToLinear(s.driveDb) - 1;
    if (d <= 0)
        return x;
    constexpr double kWarmBias = 0.5;
    constexpr double kStep = 1e-6;
    const double b = s.bias + (s.shape == Shape::Warm ? kWarmBias : 0);
    Curve curve{s.shape};
    for (int i = 0; s.shape == Shape::Tape && i < 40; ++i)
        curve.rest = std::tanh(b + TapeBank::kMemory * curve.rest);
    const double slope = (curve.at(b + kStep) - curve.at(b - kStep)) / (2 * kStep);
    const double y = (curve.at(d * x + b) - curve.at(b)) / (d * slope);
    return x + s.mixPercent / 100 * (y - x);
}

double driveCurve(const ClipperSettings& s, double x) {
    const double c = dbToLinear(s.ceilingDb);
    const double h = std::max(CurvePlace::kLeastKneeHalf, 1 - dbToLinear(-s.kneeDb));
    const double u = std::abs(x) / c;
    const double y = u <= 1 - h ? u : u >= 1 + h ? 1 : u - (u - 1 + h) * (u - 1 + h) / (4 * h);
    return std::copysign(c * y, x);
}

double driveCurve(const CrushSettings& s, double x) {
    if (s.bits >= CrushSettings::kMostBits)
        return x;
    const double step = std::exp2(1 - s.bits);
    return x + s.mixPercent / 100 * (step * std::nearbyint(x / step) - x);
}

double driveCurve(const BodySettings& s, double x) {
    const double d = dbToLinear(s.driveDb) - 1;
    return d > 0 ? std::tanh(d * x) / d : x;
}

} // namespace cask::dsp
