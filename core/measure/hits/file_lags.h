// Files that are late or early against the rest of the take.
#pragma once

#include <core/measure/hits/arrivals.h>
#include <core/measure/hits/kit_model.h>
#include <optional>
#include <vector>

namespace cask::measure {

/// By input: by how much its file is late against most others, seconds; 0 when that is less than sound may
/// take on its way, or not sure. From the differences of arrival times of each two microphones: spill makes a
/// sharp peak there, and when nearly all peaks of one microphone lie aside by the same amount, it is the
/// file.
[[nodiscard]] std::vector<double> findFileLags(const KitModel& kit, std::span<const HitInput> inputs,
                                               const std::vector<std::vector<Arrival>>& arrivals);

/// Place of the sharp peak in the differences of two lists of times, seconds: by how much `a` is later than
/// `b`. A peak within `naturalS` goes before all others; none when nothing stands out.
[[nodiscard]] std::optional<double> sharpPeak(const std::vector<double>& a, const std::vector<double>& b,
                                              double naturalS);

/// What sound may take on its way: to a microphone that stands at a drum, and to one that hears all.
inline constexpr double kNaturalCloseS = 0.006; // two metres
inline constexpr double kNaturalAmbientS = 0.012;

} // namespace cask::measure
