// A layer's sound as it is played: cut, pitched, filtered and faded once, before any strike.
#pragma once

#include <core/layers/layer.h>
#include <core/layers/one_shot.h>

namespace cask::layers {

struct PreparedSound {
    measure::Sound sound;
    Frames transient = 0; ///< the frame that meets a strike; may lie before the first one of a cut sound
};

/// What stays as it is of a sound that is stretched, behind its strike, and how long it takes to go over.
inline constexpr double kStretchAttackMs = 20;
inline constexpr double kStretchJoinMs = 5;

/// Everything of a layer that is the same for every strike: start and end, pitch (by rate, which changes the
/// length, or with kept length by the Rubber Band library), length (by that library too), drive, cuts, fades,
/// hold and decay.
[[nodiscard]] Result<PreparedSound> prepareSound(const OneShot& shot, const Layer& layer);

} // namespace cask::layers
