// How far each drum of a kit can be driven before it breaks.
#pragma once

#include <array>
#include <core/base/parallel.h>
#include <core/measure/drive/driven_sound.h>
#include <functional>
#include <string>
#include <vector>

namespace cask::measure {

/// Drives of a push test, dB; against the first all others are held.
inline constexpr std::array kPushDrivesDb = {-12.0, -9.0, -6.0, -3.0, 0.0, 3.0, 6.0, 9.0, 12.0, 15.0, 18.0};

/// What is too much.
struct PushLimits {
    double bentDb = -15;      ///< of what is new in a hit against what is left of it
    double crestLossDb = 4;   ///< peak over the RMS of the first 120 ms
    double clarityLossDb = 4; ///< first 10 ms over the 10 ms before
};

enum class PushBreak { None, Bent, Crest, Clarity };

/// A drum along the drives: medians over its hits.
struct DrumPush {
    int drum = -1;
    int hits = 0;
    std::vector<double> bentDb;        ///< by drive; kSilenceDb where nothing is new
    std::vector<double> crestLossDb;   ///< more than 0: less crest
    std::vector<double> clarityLossDb; ///< more than 0: less clear
    PushBreak why = PushBreak::None;
    double breaksAtDb = 0; ///< drive, between two that were tried by a straight line; where it breaks at all
};

/// The sound of a node with its input driven by so many dB, made quieter by as much behind it.
using PushedSound = std::function<Sound(double driveDb)>;

/// Of every drum with kFewestPushHits hits in `material` (its own and all others; `isOwn` does not matter),
/// those that break first in front. `at`: sounds of the material's length. A hit's new sound is what the best
/// straight copy of the first drive's leaves of it over its first 80 ms: so level and steady filters do not
/// count.
inline constexpr std::size_t kFewestPushHits = 3;
[[nodiscard]] std::vector<DrumPush> pushTest(const HitMaterial& material, const PushedSound& at,
                                             const PushLimits& limits, const CancelToken& cancel = {},
                                             const ParallelFor& parallel = oneByOne);

/// What should come down so that all break together with the second: the first breaking one by how much; 0
/// where fewer than two break.
[[nodiscard]] double lowerFirstByDb(const std::vector<DrumPush>& pushes);

} // namespace cask::measure
