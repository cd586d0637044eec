#include "core/layers/drum_map.h"

#include <algorithm>

namespace cask::layers {

const std::vector<MappedNote>& generalMidiMap() {
    static const std::vector<MappedNote> map = {
        {35, "kick 2", Role::KickIn, {210, 91, 0.9, 8.5}},
        {36, "kick", Role::KickIn, {210, 91, 0.9, 8.5}},
        {37, "side stick", Role::SideStick, {88, 2100, 0.7, 2.2}},
        {38, "snare", Role::SnareTop, {170, 310, 0.7, 4.8}},
        {39, "clap", Role::Clap, {160, 1700, 1, 37}},
        {40, "snare 2", Role::SnareTop, {170, 310, 0.7, 4.8}},
        {41, "low floor tom", Role::FloorTom, {850, 110, 0.9, 7}},
        {42, "closed hat", Role::ClosedHat, {70, 9000, 0.8, 0.5}},
        {43, "high floor tom", Role::FloorTom, {830, 130, 0.9, 6.3}},
        {44, "pedal hat", Role::ClosedHat, {80, 5700, 0.7, 15}},
        {45, "low tom", Role::RackTom, {760, 150, 1, 8.8}},
        {46, "open hat", Role::OpenHat, {1600, 3800, 0.3, 22}},
        {47, "low mid tom", Role::RackTom, {700, 160, 1, 8}},
        {48, "high mid tom", Role::RackTom, {630, 200, 1, 6.3}},
        {49, "crash", Role::Crash, {2700, 4500, 0.3, 15}},
        {50, "high tom", Role::RackTom, {580, 210, 0.9, 5.8}},
        {51, "ride", Role::Ride, {2700, 6300, 0.3, 0.75}},
        {52, "china", Role::Crash, {1500, 1900, 0.4, 26}},
        {53, "ride bell", Role::Ride, {2700, 3200, 0.1, 4.5}},
        {54, "tambourine", Role::Percussion, {380, 6100, 0.4, 11}},
        {55, "splash", Role::Crash, {1300, 5500, 0.3, 9.5}},
        {56, "cowbell", Role::Percussion, {98, 580, 0.2, 3.2}},
        {57, "crash 2", Role::Crash, {2700, 4500, 0.3, 15}},
        {58, "vibraslap", Role::Percussion, {1800, 5500, 0.2, 94}},
        {59, "ride 2", Role::Ride, {2700, 6300, 0.3, 0.75}},
        {60, "high bongo", Role::Percussion, {140, 1100, 0.2, 0.75}},
        {61, "low bongo", Role::Percussion, {100, 400, 0.4, 2}},
        {62, "muted high conga", Role::Percussion, {94, 720, 1, 4}},
        {63, "open high conga", Role::Percussion, {250, 340, 0.1, 3.2}},
        {64, "low conga", Role::Percussion, {280, 210, 0.1, 4.2}},
        {65, "high timbale", Role::Percussion, {350, 780, 0.7, 3}},
        {66, "low timbale", Role::Percussion, {320, 350, 0.5, 2.2}},
        {67, "high agogo", Role::Percussion, {250, 3700, 0, 1.8}},
        {68, "low agogo", Role::Percussion, {270, 2800, 0, 2.8}},
        {69, "cabasa", Role::Percussion, {96, 6300, 0.8, 23}},
        {70, "maracas", Role::Percussion, {92, 8600, 0.4, 9}},
        {71, "short whistle", Role::Percussion, {260, 2300, 0, 38}},
        {72, "long whistle", Role::Percussion, {440, 2000, 0, 3.5e+02}},
        {73, "short guiro", Role::Percussion, {120, 4600, 0.8, 2.5}},
        {74, "long guiro", Role::Percussion, {270, 4800, 0.6, 2.5e+02}},
        {75, "claves", Role::Percussion, {71, 2200, 0, 1.5}},
        {76, "high wood block", Role::Percussion, {86, 960, 0.1, 3.8}},
        {77, "low wood block", Role::Percussion, {110, 730, 0.1, 4.5}},
        {78, "muted cuica", Role::Percussion, {150, 970, 0, 62}},
        {79, "open cuica", Role::Percussion, {170, 350, 0, 87}},
        {80, "muted triangle", Role::Percussion, {74, 9500, 0, 0.75}},
        {81, "open triangle", Role::Percussion, {1200, 6000, 0, 17}},
    };
    return map;
}

const MappedNote* findNote(const std::vector<MappedNote>& map, int note) {
    const auto it =
        std::find_if(map.begin(), map.end(), [note](const auto& one) { return one.note == note; });
    return it == map.end() ? nullptr : &*it;
}

} // namespace cask::layers
