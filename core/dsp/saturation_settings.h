// What a user sets on the saturation.
#pragma once

#include <core/dsp/shape_bank.h>

namespace cask::dsp {

enum class Oversampling { Twice, Four, Eight };

[[nodiscard]] constexpr int factorOf(Oversampling oversampling) {
    return 2 << static_cast<int>(oversampling);
}

/// y = output (x + mix (g(x) - x)), g(x) = (f(d x + b) - f(b)) / (d f'(b)) with d = 10^(drive / 20) - 1 and f
/// the curve of its shape: quiet sound passes with a gain of 1 at any drive, and without drive every bit
/// stays. What a curve that is not odd shifts is taken out again by a high-pass at kBlockHz.
struct SaturationSettings {
    static constexpr double kBlockHz = 5;

    double driveDb = 6;
    double mixPercent = 100;
    double outputDb = 0;
    Oversampling oversampling = Oversampling::Four;
    Shape shape = Shape::Soft;
    double bias = 0; ///< b, on top of that of the curve itself
    friend bool operator==(const SaturationSettings&, const SaturationSettings&) = default;
};

} // namespace cask::dsp
