// Drums whose files' names say nothing: told apart, named and put on notes by their sound.
#pragma once

#include <core/base/role.h>
#include <core/layers/drum_map.h>
#include <core/measure/look/sound_look.h>
#include <span>
#include <vector>

namespace cask::layers {

/// The role of a drum from what its strokes are like, one or several; confidence at most 0.5, for a name says
/// more.
[[nodiscard]] RoleGuess guessRoleOfLooks(std::span<const measure::SoundLook> strokes);

/// Which of some strokes are of one drum: their places, drums and strokes in the order in which they came.
/// Strokes belong together that are alike (measure::unlikeness), or that others between them join. Drums part
/// where the way from one to the other is longer than any from stroke to stroke could be, or at least twice
/// as long as any from stroke to stroke is. Cymbals and hats, which no stroke sounds from as the one before,
/// part farther away.
[[nodiscard]] std::vector<std::vector<std::size_t>> toldApart(std::span<const measure::SoundLook> strokes);

/// Medians of a drum's strokes.
[[nodiscard]] TypicalSound typicalOf(std::span<const measure::SoundLook> strokes);

/// How far a sound lies from another, of one instrument about 1; on musical scales.
[[nodiscard]] double apart(const TypicalSound& a, const TypicalSound& b);

} // namespace cask::layers
