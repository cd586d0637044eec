// Which drum a note means.
#pragma once

#include <core/base/role.h>
#include <string>
#include <vector>

namespace cask::layers {

/// How one stroke sounds, in numbers of measure::SoundLook.
struct TypicalSound {
    double lengthMs = 0;
    double brightnessHz = 0;
    double noisiness = 0;
    double attackMs = 0;
};

/// A note of a map.
struct MappedNote {
    int note = 0;
    std::string name; ///< as people read it
    Role role = Role::Unknown;
    TypicalSound typical; ///< of such an instrument: medians over sampled drums, rounded
};

/// The drum map of General MIDI (notes 35 to 81).
[[nodiscard]] const std::vector<MappedNote>& generalMidiMap();
/// Null where it is not in the map.
[[nodiscard]] const MappedNote* findNote(const std::vector<MappedNote>& map, int note);

} // namespace cask::layers
