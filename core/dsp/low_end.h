// Boosts and cuts around one corner at once.
#pragma once

#include <core/dsp/eq_settings.h>
#include <vector>

namespace cask::dsp {

/// Two low shelves: the boost turns at `frequencyHz`, the cut at kCutAbove times as much. Together they lift
/// what is under the corner by boost less cut and dip just above it, where drums are muddy.
struct LowEndSettings {
    double frequencyHz = 60;
    double boostDb = 0;
    double cutDb = 0; ///< how far down, positive
    friend bool operator==(const LowEndSettings&, const LowEndSettings&) = default;
};

inline constexpr double kCutAbove = 3;

/// The two shelves as bands without ids.
[[nodiscard]] std::vector<EqBand> lowEndBands(const LowEndSettings& settings);

} // namespace cask::dsp
