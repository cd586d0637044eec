// A pattern played by a kit: an element for each drum, and for each microphone that hears all of them.
#pragma once

#include <core/layers/drum_map.h>
#include <core/layers/folder_kit.h>
#include <core/layers/pattern.h>
#include <core/project/played_files.h>
#include <map>

namespace cask::project {

/// What a pattern is played with.
struct KitSounds {
    std::filesystem::path sfz;                       ///< of all drums; else:
    std::vector<layers::FolderDrum> oneShots;        ///< of a folder
    std::map<int, std::size_t> chosen = {};          ///< which of them a note strikes, where somebody said so
    std::filesystem::path overheads = {}, room = {}; ///< kits of the same notes; empty: none
    std::map<Role, std::filesystem::path> spill = {}; ///< what a drum's microphone hears of the others, a kit
    std::vector<std::string> notes = {};              ///< what of it is not used, a sentence each
};

/// Where a session keeps the kit that ships, below its folder of layers.
inline constexpr const char* kBuiltInKitFolder = "Built-in kit";
/// The kit that ships, in a folder that holds it (demo::writeBuiltInKit).
struct KitMicrophones {
    bool overheads = true, room = true, spill = false;
};
[[nodiscard]] KitSounds builtInKit(const std::filesystem::path& folder, const KitMicrophones& microphones);

/// A kit (SFZ), or a folder of one-shots (layers::drumsOfFolder). Errors: neither, no sound in it.
[[nodiscard]] Result<KitSounds> kitFrom(const std::filesystem::path& sfzOrFolder,
                                        const CancelToken& cancel = {});

/// Which one-shots each note strikes: as it was chosen, else layers::struckDrums().
[[nodiscard]] std::map<int, std::size_t> struckDrums(const KitSounds& kit, const std::set<int>& notes);

/// One drum of a pattern; hats of all kinds are one, so that they choke each other.
struct PatternDrum {
    std::string name;
    Role role = Role::Unknown;
    std::vector<int> notes;
    std::size_t strokes = 0;
};
/// Where strokes stand on the tenth channel, the others are of other instruments.
[[nodiscard]] std::vector<PatternDrum> drumsOf(const layers::Pattern& pattern);

/// A stack for each drum, without layers where the kit has no sound for it; behind them one for each
/// microphone that hears all, whose drum has no notes. All of one pattern.
struct PlannedStack {
    PatternDrum drum;
    layers::Stack stack;
};
[[nodiscard]] std::vector<PlannedStack> stacksOf(const layers::Pattern& pattern,
                                                 const std::string& patternName, const KitSounds& kit);

struct PlayedDrum {
    PatternDrum drum;
    WrittenStack written;
};
/// Writes a stack for each drum that the kit has sounds of, and one for each of its microphones that hear
/// all; all of one pattern. What is left out is in `notes`. Errors: nothing can be played, what can't be read
/// or written.
struct PlayedKit {
    std::vector<PlayedDrum> drums;
    std::vector<std::string> notes;
};
[[nodiscard]] Result<PlayedKit> playPattern(const layers::Pattern& pattern, const std::string& patternName,
                                            const KitSounds& kit, double rateHz,
                                            const std::filesystem::path& sessionFolder,
                                            const CancelToken& cancel = {}, const ProgressFn& progress = {});

/// With an element for each. `made` gets their ids.
[[nodiscard]] session::Session withPlayedKit(session::Session s, const PlayedKit& kit,
                                             std::vector<session::Id>* made = nullptr);

} // namespace cask::project
