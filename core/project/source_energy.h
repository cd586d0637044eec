// How loud the beginning of a source is, to bring sounds to the loudness of others.
#pragma once

#include <core/base/audio_source.h>
#include <core/measure/sound.h>

namespace cask::project {

/// Seconds that count.
inline constexpr double kTrialMeasuredS = 60;
/// At and under this there is no loudness to match.
inline constexpr double kSilentSourceDb = kSilenceDb + 20;

/// As it is heard in the middle: one channel goes to both sides by constant power.
[[nodiscard]] measure::Sound onBothSides(measure::Sound sound);
/// Both sides of what a source plays from a frame on.
[[nodiscard]] measure::Sound beginningOf(AudioSource& source, double rateHz, Frames from = 0);
/// Energy as BS.1770 weighs it.
[[nodiscard]] double soundEnergyDb(const measure::Sound& sound, double rateHz);
[[nodiscard]] double sourceEnergyDb(AudioSource& source, double rateHz);

} // namespace cask::project
