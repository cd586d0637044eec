// What is worked out first in the background; the lowest number is first.
#pragma once

namespace cask::app {

inline constexpr int kPairPriority = 0;   ///< the pair that is being looked at
inline constexpr int kLayersPriority = 0; ///< the stack that is being looked at
inline constexpr int kHitPriority = 1;
inline constexpr int kHeadroomPriority = 2;
inline constexpr int kMeasuringPriority = 3; ///< after the facts of all files

} // namespace cask::app
