// Which drum a one-shot is, by its sound alone: trained nets that hear its look.
#pragma once

#include <array>
#include <core/measure/hits/stroke_net.h>
#include <core/measure/look/sound_look.h>

namespace cask::measure {

enum class ShotKind {
    Kick,
    Snare,
    SideStick,
    Clap,
    ClosedHat,
    OpenHat,
    Tom,
    Crash,
    Ride,
    Percussion,
};
inline constexpr std::size_t kShotKinds = 10;

/// How sure it is one of each, 0 to 1, by kind.
using ShotShares = std::array<float, kShotKinds>;

/// Numbers of a look that the nets hear: the cells and low twelfths of its shape, then lengths, brightness,
/// noisiness, lows and note, each on a musical scale.
inline constexpr std::size_t kShotNumbers = LookShape::kCells + LookShape::kLow + 10;
[[nodiscard]] std::array<float, kShotNumbers> shotNumbers(const SoundLook& look);

/// The average opinion of the nets. All 0 where there are none.
[[nodiscard]] ShotShares shotShares(const std::vector<StrokeNet>& ear, const SoundLook& look);

[[nodiscard]] Result<std::vector<StrokeNet>> parseShotEar(std::string_view text);
[[nodiscard]] std::string writeShotEar(const std::vector<StrokeNet>& ear);
/// Taught by bench/teach_shot_ear on sampled and made-up drums.
[[nodiscard]] const std::vector<StrokeNet>& shippedShotEar();

} // namespace cask::measure
