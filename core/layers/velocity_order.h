// One-shots of one drum, softest to hardest.
#pragma once

#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/layers/layer.h>
#include <vector>

namespace cask::layers {

/// A one-shot as it is, before velocities.
struct MeasuredSound {
    std::filesystem::path file;
    double loudnessDb = 0; ///< measure::SoundLook
};

/// Sounds within this of the softest of them are alternates.
inline constexpr double kAlternatesDb = 1.5;

/// Each for its part of the velocities, all parts of the same width, softest first; alternates share one.
/// Where every name, or the folder that it lies in, says how hard the stroke was ("pp", "mf", "soft",
/// "hard"), that decides, or the number of a velocity ("v3", "vel 40") where sounds with a higher one are not
/// softer; else how loud the sounds are, and those that are all as loud are alternates for every velocity.
/// Gains make up for how loud they are, so that the level follows the strikes alone and the sound how hard
/// they are.
[[nodiscard]] std::vector<LayerSound> byVelocity(std::vector<MeasuredSound> sounds);

/// The same of files. An error names one that can't be read.
[[nodiscard]] Result<std::vector<LayerSound>> byVelocity(const std::vector<std::filesystem::path>& files,
                                                         const CancelToken& cancel = {});

} // namespace cask::layers
