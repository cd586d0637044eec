// What was played by hand, as strikes of a stack.
#pragma once

#include <core/layers/layer.h>
#include <core/layers/pattern.h>
#include <optional>
#include <utility>
#include <vector>

namespace cask::layers {

/// Strikes nearer than this to one of the same note are one: the louder of both.
inline constexpr double kOneStrikeS = 0.012;

/// A stroke by hand: accent, normal or ghost by its velocity (see LiveKit).
[[nodiscard]] Strike playedStrike(double timeS, int velocity, int note);
/// Overdubbed: a stack with what was played beside its strikes; or instead of those of a stretch, s.
[[nodiscard]] Stack withTake(Stack stack, const std::vector<Strike>& take,
                             const std::optional<std::pair<double, double>>& instead = {});
/// Strikes as a pattern of one tempo, on the channel of drums; those without a note get this one.
[[nodiscard]] Pattern patternOf(const std::vector<Strike>& strikes, double bpm, int note);

} // namespace cask::layers
