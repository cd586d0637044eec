// Accents, normal hits, ghosts, flams and rolls, each drum by its own hits.
#pragma once

#include <core/measure/hits/kit_hits.h>
#include <core/measure/hits/tempo.h>

namespace cask::measure {

inline constexpr double kFlamLeastS = 0.012;
inline constexpr double kFlamMostS = 0.040;
inline constexpr double kRollMostS = 0.090; ///< between two of at least kRollLeast
inline constexpr int kRollLeast = 4;
inline constexpr double kRollMostBeats = 3.0 / 16; ///< nor do sixteenths make a roll, however fast they are

/// Sets class and velocity of all strokes and the limits of all drums. Two groups of levels are parted where
/// that explains most of their spread (Otsu 1979), and only when they stand clearly apart. The softer of two
/// hits 12 to 40 ms apart is a flam's grace note; four or more hits of a snare or tom (no pedal rolls) faster
/// than 90 ms are a roll. Classes that are given stand. Velocity goes with the square root of amplitude, 1 at
/// the 95th percentile.
void classify(KitHits& hits);

/// Rolls at a known tempo: faster than sixteenths by a quarter at least. Others are played notes, and get the
/// classes that their levels give them.
void tieRollsToTempo(KitHits& hits, const Tempo& tempo);

/// Limits for levels of one drum, dBFS.
[[nodiscard]] ClassLimits limitsOf(std::vector<double> levelsDb);

} // namespace cask::measure
