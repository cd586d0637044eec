// What tells the drums of a mix or loop apart: how each rise sounds, and how it compares with the rest of the
// take.
#pragma once

#include <core/measure/hits/arrivals.h>
#include <span>
#include <vector>

namespace cask::measure {

/// The drums that are told apart in one file that holds them all.
enum class LoopDrum { Kick, Snare, Hat, Tom, Ride, Crash };
inline constexpr std::size_t kLoopDrums = 6;

/// How sure each drum is struck at an arrival, 0 to 1.
using LoopShares = std::array<float, kLoopDrums>;

/// Numbers of one arrival. Levels are in units of 20 dB, times as powers of ten of a second.
inline constexpr std::size_t kLookWindows = 10;
inline constexpr std::size_t kFirstLook = kLookWindows * kTrailBands + 3 * kTrailBands + 3;
inline constexpr std::size_t kSecondLook = kLoopDrums * (1 + kTrailBands + 3 + 1 + 3 + 1);

/// One row of kFirstLook numbers for each arrival: levels of the bands in ten windows from 60 ms before it to
/// 300 ms after it, against the loud strokes of the take; each band against its own loud strokes; its rise;
/// how much more left it is than most; time to the arrivals around it and its rise in all.
[[nodiscard]] std::vector<float> firstLook(std::span<const BandTrail* const> channels,
                                           std::span<const Arrival> arrivals);

/// One row of kSecondLook numbers for each arrival, from the first rows and what they were taken for: how far
/// its bands are from those of the take's own sure strokes of each drum, how often that drum is struck, what
/// is heard a pulse and a bar before and after it, and within 25 ms.
[[nodiscard]] std::vector<float> secondLook(std::span<const float> first, std::span<const LoopShares> shares,
                                            std::span<const Arrival> arrivals);

} // namespace cask::measure
