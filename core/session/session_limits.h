// What a session may hold: the limits that docs/formats/session.md states.
#pragma once

#include <cstddef>

namespace cask::session {

inline constexpr std::size_t kMostTextBytes = std::size_t{64} << 20U;
inline constexpr int kMostDepth = 64; ///< of objects and lists in each other
inline constexpr std::size_t kMostFiles = 1024;
inline constexpr std::size_t kMostElements = 1024;
inline constexpr std::size_t kMostBuses = 256;
inline constexpr std::size_t kMostModules = 64; ///< in a chain
inline constexpr std::size_t kMostBands = 64;   ///< of an equaliser
inline constexpr std::size_t kMostSends = 256;  ///< of an element or bus
inline constexpr std::size_t kMostSections = 10000;
inline constexpr std::size_t kMostMarkers = 10000;
inline constexpr std::size_t kMostRides = 256;        ///< of an element, bus or module
inline constexpr std::size_t kMostRidePoints = 10000; ///< of one ride
inline constexpr std::size_t kMostStates = 256;
inline constexpr std::size_t kMostBeats = 100000; ///< that are kept
inline constexpr std::size_t kMostHitEdits = 1000000;
inline constexpr double kLongestS = 24 * 3600; ///< of a file, and how far from the start anything may lie
inline constexpr double kLowestFileRateHz = 4000;
inline constexpr double kHighestFileRateHz = 768000;

} // namespace cask::session
