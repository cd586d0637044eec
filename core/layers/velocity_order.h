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
/// Gains make up for how loud they are, so that the level follows the strikes alone and the sound how hard
/// they are. Sounds that are all as loud are put by the numbers that their names end with ("v3", "vel 40",
/// "velocity_127") where all have one, else all of them are alternates for every velocity.
[[nodiscard]] std::vector<LayerSound> byVelocity(std::vector<MeasuredSound> sounds);

/// The same of files. An error names one that can't be read.
[[nodiscard]] Result<std::vector<LayerSound>> byVelocity(const std::vector<std::filesystem::path>& files,
                                                         const CancelToken& cancel = {});

} // namespace cask::layers
