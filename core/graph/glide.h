// The way a glide takes.
#pragma once

namespace cask::graph {

/// From 0 to 1 without a corner at either end.
[[nodiscard]] inline float smooth(float t) {
    return t * t * (3 - 2 * t);
}

} // namespace cask::graph
