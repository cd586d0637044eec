#include "core/layers/drum_map.h"

#include <algorithm>

namespace cask::layers {

const std::vector<MappedNote>& generalMidiMap() {
    static const std::vector<MappedNote> map = {
        {35, "kick 2", Role::KickIn},
        {36, "kick", Role::KickIn},
        {37, "side stick", Role::SideStick},
        {38, "snare", Role::SnareTop},
        {39, "clap", Role::Clap},
        {40, "snare 2", Role::SnareTop},
        {41, "low floor tom", Role::FloorTom},
        {42, "closed hat", Role::ClosedHat},
        {43, "high floor tom", Role::FloorTom},
        {44, "pedal hat", Role::ClosedHat},
        {45, "low tom", Role::RackTom},
        {46, "open hat", Role::OpenHat},
        {47, "low mid tom", Role::RackTom},
        {48, "high mid tom", Role::RackTom},
        {49, "crash", Role::Crash},
        {50, "high tom", Role::RackTom},
        {51, "ride", Role::Ride},
        {52, "china", Role::Crash},
        {53, "ride bell", Role::Ride},
        {54, "tambourine", Role::Percussion},
        {55, "splash", Role::Crash},
        {56, "cowbell", Role::Percussion},
        {57, "crash 2", Role::Crash},
        {58, "vibraslap", Role::Percussion},
        {59, "ride 2", Role::Ride},
        {60, "high bongo", Role::Percussion},
        {61, "low bongo", Role::Percussion},
        {62, "muted high conga", Role::Percussion},
        {63, "open high conga", Role::Percussion},
        {64, "low conga", Role::Percussion},
        {65, "high timbale", Role::Percussion},
        {66, "low timbale", Role::Percussion},
        {67, "high agogo", Role::Percussion},
        {68, "low agogo", Role::Percussion},
        {69, "cabasa", Role::Percussion},
        {70, "maracas", Role::Percussion},
        {71, "short whistle", Role::Percussion},
        {72, "long whistle", Role::Percussion},
        {73, "short guiro", Role::Percussion},
        {74, "long guiro", Role::Percussion},
        {75, "claves", Role::Percussion},
        {76, "high wood block", Role::Percussion},
        {77, "low wood block", Role::Percussion},
        {78, "muted cuica", Role::Percussion},
        {79, "open cuica", Role::Percussion},
        {80, "muted triangle", Role::Percussion},
        {81, "open triangle", Role::Percussion},
    };
    return map;
}

const MappedNote* findNote(const std::vector<MappedNote>& map, int note) {
    const auto it =
        std::find_if(map.begin(), map.end(), [note](const auto& one) { return one.note == note; });
    return it == map.end() ? nullptr : &*it;
}

} // namespace cask::layers
