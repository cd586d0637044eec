// What a user sets on the saturation.
#pragma once

namespace cask::dsp {

enum class Oversampling { Twice, Four, Eight };

[[nodiscard]] constexpr int factorOf(Oversampling oversampling) {
    return 2 << static_cast<int>(oversampling);
}

/// y = output (x + mix (tanh(d x) / d - x)) with d = 10^(drive / 20) - 1: quiet sound passes with a gain of 1
/// at any drive, and without drive every bit stays.
struct SaturationSettings {
    double driveDb = 6;
    double mixPercent = 100;
    double outputDb = 0;
    Oversampling oversampling = Oversampling::Four;
    friend bool operator==(const SaturationSettings&, const SaturationSettings&) = default;
};

} // namespace cask::dsp
