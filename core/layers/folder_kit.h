// Which drums a folder of one-shots holds, and which of them a note strikes.
#pragma once

#include <core/base/role.h>
#include <core/layers/drum_map.h>
#include <core/layers/layer.h>
#include <core/layers/velocity_order.h>
#include <core/measure/look/sound_look.h>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <vector>

namespace cask::layers {

/// A one-shot of a folder.
struct FoundShot {
    std::filesystem::path file;               ///< from the folder
    Role role = Role::Unknown;                ///< by its name
    std::optional<measure::SoundLook> look{}; ///< nothing of silence
};

/// A drum, a cymbal or percussion: what a kit is made of.
[[nodiscard]] bool isDrum(Role role);

/// What a one-shot is by its name, else with the folders that it lies in as words in front, nearest first
/// ("Hats/Open/01.wav"), else unknown. `file` is the path from the folder. A microphone that stands apart
/// ("Kick Room"), a loop or a voice stays what it is called.
[[nodiscard]] Role roleOfName(const std::filesystem::path& file);

struct FolderDrum {
    std::string name; ///< as its files or their folder call it
    Role role = Role::Unknown;
    std::set<std::string> marks;    ///< words that tell it from others of its role: "china", "pedal", "high"
    int number = 0;                 ///< of several ("Crash 2"); 0: none
    double noteHz = 0;              ///< median of its strokes; 0: none, and a name tells of the drum
    std::vector<LayerSound> sounds; ///< by velocity; their files lie below the folder
    std::optional<TypicalSound> typical{}; ///< of a drum that no name tells of
};

/// One-shots of one role are one drum unless words, a number ("Crash 2 v3.wav", a folder "Crash 2") or, of
/// toms whose names say neither, two semitones between their notes or their sound tell them apart. Those that
/// no name tells of are told apart by ear (toldApart()), unless some name tells of their role: they are
/// strokes of that one. What is no drum is left out.
[[nodiscard]] std::vector<FolderDrum> drumsOfFolder(const std::vector<FoundShot>& shots,
                                                    const std::filesystem::path& folder);

/// Which drum each note of General MIDI strikes; notes that none can be struck by are left out. Toms are
/// spread over the toms that there are, in order of their notes, each by one of its own as far as they reach;
/// other notes strike the drum of their role whose words agree best or, where no name tells of it, that
/// sounds most as such an instrument does, all of a role together as near as they can be.
[[nodiscard]] std::map<int, std::size_t> struckDrums(const std::vector<FolderDrum>& drums,
                                                     const std::set<int>& notes);

} // namespace cask::layers
