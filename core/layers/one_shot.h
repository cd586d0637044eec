// Sounds that are struck once, read whole.
#pragma once

#include <core/base/result.h>
#include <core/base/units.h>
#include <core/measure/sound.h>
#include <filesystem>

namespace cask::layers {

inline constexpr double kLongestOneShotS = 60;

struct OneShot {
    measure::Sound sound; ///< one or two channels; of a file with more the first two
    double rateHz = 0;
    double fileRateHz = 0; ///< as it was stored
    Frames transient = 0;  ///< see transientOf()
};

/// Converted to the rate that is asked for (0: as it is). An error names a file that can't be read, that is
/// longer than kLongestOneShotS, or that holds no frames.
[[nodiscard]] Result<OneShot> readOneShot(const std::filesystem::path& file, double rateHz = 0);

/// The frame that is put on a strike: where a sound that is struck once begins to rise
/// (measure::oneShotOnset), from there on the first that comes within 34 dB of its peak. 0 of silence.
[[nodiscard]] Frames transientOf(const measure::Sound& sound, double rateHz);

} // namespace cask::layers
