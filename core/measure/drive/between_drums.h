// What a curve makes of drums together that it makes of none of them alone.
#pragma once

#include <core/measure/drive/driven_sound.h>

namespace cask::measure {

/// Intermodulation: the whole through the curve less the sum of each part through it, power against that of
/// what comes out of the whole, dB; kSilenceDb where there are fewer than two parts or nothing comes out.
/// Parts are of one length; with channels that are alike in number.
[[nodiscard]] double intermodulationDb(const std::vector<Sound>& parts, const DriveSettings& settings,
                                       double rateHz, const CancelToken& cancel = {});

} // namespace cask::measure
