#include "core/project/programmed_kit.h"

#include "core/layers/one_shot.h"
#include "core/layers/sfz.h"
#include "core/media/folder_scan.h"
#include "core/session/edits.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <set>

namespace cask::project {
namespace {

namespace fs = std::filesystem;

constexpr int kDrumChannel = 9;
constexpr int kHatChoke = 1;
constexpr double kRingS = 2; // behind the last bar

/// General MIDI tells hats apart; they are one drum.
std::string drumNameOf(int note) {
    const auto* mapped = layers::findNote(layers::generalMidiMap(), note);
    if (mapped == nullptr)
        return fmt::format("Note {}", note);
    switch (mapped->role) {
    case Role::KickIn:
        return "Kick";
    case Role::SnareTop:
        return "Snare";
    case Role::ClosedHat:
    case Role::OpenHat:
        return "Hi-hat";
    default: {
        std::string name = mapped->name;
        name.front() = static_cast<char>(std::toupper(static_cast<unsigned char>(name.front())));
        return name;
    }
    }
}

Role roleOf(int note) {
    const auto* mapped = layers::findNote(layers::generalMidiMap(), note);
    return mapped == nullptr ? Role::Unknown : mapped->role;
}

layers::Layer kitLayer(const fs::path& sfz, const std::string& name, int note) {
    layers::Layer layer;
    layer.name = name;
    layer.kit = sfz;
    layer.note = note;
    layer.atTransient = false; // a kit says itself where its sounds begin
    return layer;
}

void keepToNotes(layers::Layer& layer, int low, int high) {
    layer.rule.lowNote = low;
    layer.rule.highNote = high;
}

class Player {
  public:
    Player(const layers::Pattern& pattern, const std::string& name, const KitSounds& kit)
        : m_pattern(pattern), m_name(name), m_kit(kit), m_drums(drumsOf(pattern)) {
        if (const auto read =
                kit.sfz.empty() ? Result<layers::SfzKit>(layers::SfzKit{}) : layers::readSfzKit(kit.sfz))
            m_regions = read->regions;
        std::set<int> notes;
        for (const auto& drum : m_drums)
            notes.insert(drum.notes.begin(), drum.notes.end());
        m_struck = struckDrums(m_kit, notes);
    }

    [[nodiscard]] const std::vector<PatternDrum>& drums() const { return m_drums; }

    [[nodiscard]] layers::Stack stackOf(const PatternDrum& drum) const {
        layers::Stack stack = empty();
        if (!m_kit.sfz.empty() && hasSound(drum))
            stack.layers.push_back(kitLayer(m_kit.sfz, m_kit.sfz.stem().string(), drum.notes.front()));
        else if (m_kit.sfz.empty())
            for (const int note : drum.notes)
                if (const auto struck = m_struck.find(note); struck != m_struck.end()) {
                    const auto& found = m_kit.oneShots[struck->second];
                    layers::Layer layer;
                    layer.name = found.name;
                    layer.sounds = found.sounds;
                    // A foot or a closed stroke ends what rings of the open hat.
                    const Role role = roleOf(note);
                    layer.chokeGroup = role == Role::ClosedHat ? kHatChoke : 0;
                    layer.chokedBy = role == Role::OpenHat ? kHatChoke : 0;
                    keepToNotes(layer, note, note);
                    stack.layers.push_back(std::move(layer));
                }
        if (stack.layers.empty())
            return stack;
        addStrikes(stack, drum.notes);
        if (const auto spill = m_kit.spill.find(drum.role); spill != m_kit.spill.end()) {
            stack.layers.front().rule.lowNote = 0;
            stack.layers.front().rule.notes = drum.notes;
            for (const auto& other : m_drums)
                if (other.name != drum.name) {
                    for (const int note : other.notes) {
                        auto layer = kitLayer(spill->second, other.name + " spill", note);
                        layer.isSpill = true;
                        keepToNotes(layer, note, note);
                        stack.layers.push_back(std::move(layer));
                    }
                    addStrikes(stack, other.notes);
                }
        }
        return stack;
    }

    /// A microphone that hears all: a layer for each drum, so that each has its own amount in it.
    [[nodiscard]] layers::Stack stackOfAll(const fs::path& sfz) const {
        layers::Stack stack = empty();
        for (const auto& drum : m_drums) {
            for (const int note : drum.notes) {
                stack.layers.push_back(kitLayer(sfz, drum.name, note));
                keepToNotes(stack.layers.back(), note, note);
            }
            addStrikes(stack, drum.notes);
        }
        return stack;
    }

  private:
    [[nodiscard]] layers::Stack empty() const {
        layers::Stack stack;
        stack.pattern = m_name;
        stack.lengthS = m_pattern.timeOf(m_pattern.lengthBeats) + kRingS;
        return stack;
    }

    void addStrikes(layers::Stack& stack, const std::vector<int>& notes) const {
        for (const auto& stroke : m_pattern.strokes)
            if (std::find(notes.begin(), notes.end(), stroke.note) != notes.end() && isMeant(stroke))
                stack.strikes.push_back(
                    {stroke.timeS, static_cast<double>(stroke.velocity), "normal", stroke.note});
        std::stable_sort(stack.strikes.begin(), stack.strikes.end(),
                         [](const auto& a, const auto& b) { return a.timeS < b.timeS; });
    }

    [[nodiscard]] bool hasSound(const PatternDrum& drum) const {
        return std::any_of(m_regions.begin(), m_regions.end(), [&](const layers::SfzRegion& region) {
            return std::any_of(drum.notes.begin(), drum.notes.end(),
                               [&](int note) { return note >= region.lowNote && note <= region.highNote; });
        });
    }

    [[nodiscard]] bool isMeant(const layers::PatternStroke& stroke) const {
        return !m_hasDrumChannel || stroke.channel == kDrumChannel;
    }

    const layers::Pattern& m_pattern;
    std::string m_name;
    const KitSounds& m_kit;
    std::vector<PatternDrum> m_drums;
    std::vector<layers::SfzRegion> m_regions;
    std::map<int, std::size_t> m_struck; // of the one-shots, by note
    bool m_hasDrumChannel = std::any_of(m_pattern.strokes.begin(), m_pattern.strokes.end(),
                                        [](const auto& stroke) { return stroke.channel == kDrumChannel; });
};

} // namespace

KitSounds builtInKit(const fs::path& folder, const KitMicrophones& microphones) {
    KitSounds kit;
    kit.sfz = folder / "Kit.sfz";
    if (microphones.overheads)
        kit.overheads = folder / "Overheads.sfz";
    if (microphones.room)
        kit.room = folder / "Room.sfz";
    if (microphones.spill)
        for (const auto& [role, name] :
             {std::pair(Role::KickIn, "Kick"), std::pair(Role::SnareTop, "Snare"),
              std::pair(Role::ClosedHat, "Hi-hat"), std::pair(Role::RackTom, "Rack tom"),
              std::pair(Role::FloorTom, "Floor tom")})
            kit.spill[role] = folder / fmt::format("Spill {}.sfz", name);
    return kit;
}

Result<KitSounds> kitFrom(const fs::path& from, const CancelToken& cancel) {
    KitSounds kit;
    std::error_code error;
    if (!fs::is_directory(from, error)) {
        if (from.extension() != ".sfz")
            return Error{ErrorCode::Unsupported,
                         from.string() + " is neither a kit (SFZ) nor a folder of one-shots."};
        if (const auto read = layers::readSfzKit(from); !read)
            return read.error();
        kit.sfz = fs::absolute(from);
        return kit;
    }
    const std::array folders{fs::absolute(from)};
    std::vector<layers::FoundShot> found;
    for (const auto& file : media::scanForAudio(folders).files) {
        if (cancel.isCancelled())
            return Error{ErrorCode::Cancelled, "Stopped; the folder was not looked through."};
        const auto shot = layers::readOneShot(file);
        if (!shot) {
            kit.notes.push_back(shot.error().message);
            continue;
        }
        const auto within = file.lexically_relative(folders.front());
        found.push_back({within, layers::roleOfName(within), measure::lookOf(shot->sound, shot->rateHz)});
    }
    kit.oneShots = layers::drumsOfFolder(found, folders.front());
    std::set<fs::path> used;
    for (const auto& drum : kit.oneShots)
        for (const auto& sound : drum.sounds)
            used.insert(sound.file);
    for (const auto& shot : found)
        if (const auto file = folders.front() / shot.file; !used.contains(file))
            kit.notes.push_back(file.string() + " is no drum that is known; it is not used.");
    if (kit.oneShots.empty())
        return Error{ErrorCode::Empty, from.string() + " holds no one-shots of drums."};
    return kit;
}

std::map<int, std::size_t> struckDrums(const KitSounds& kit, const std::set<int>& notes) {
    auto struck = layers::struckDrums(kit.oneShots, notes);
    for (const auto& [note, drum] : kit.chosen)
        if (notes.contains(note) && drum < kit.oneShots.size())
            struck[note] = drum;
    return struck;
}

std::vector<PatternDrum> drumsOf(const layers::Pattern& pattern) {
    const auto isOfDrums = [](const auto& stroke) { return stroke.channel == kDrumChannel; };
    const bool hasDrumChannel = std::any_of(pattern.strokes.begin(), pattern.strokes.end(), isOfDrums);
    std::vector<PatternDrum> drums;
    for (const auto& stroke : pattern.strokes) {
        if (hasDrumChannel && !isOfDrums(stroke))
            continue;
        const auto name = drumNameOf(stroke.note);
        auto drum = std::find_if(drums.begin(), drums.end(), [&](const auto& d) { return d.name == name; });
        if (drum == drums.end())
            drum = drums.insert(drums.end(), {name, roleOf(stroke.note), {}, 0});
        if (std::find(drum->notes.begin(), drum->notes.end(), stroke.note) == drum->notes.end())
            drum->notes.push_back(stroke.note);
        ++drum->strokes;
    }
    return drums;
}

std::vector<PlannedStack> stacksOf(const layers::Pattern& pattern, const std::string& patternName,
                                   const KitSounds& kit) {
    const Player player(pattern, patternName, kit);
    std::vector<PlannedStack> stacks;
    for (const auto& drum : player.drums())
        stacks.push_back({drum, player.stackOf(drum)});
    for (const auto& [sfz, name, role] :
         {std::tuple(kit.overheads, "Overheads", Role::Overhead), std::tuple(kit.room, "Room", Role::Room)})
        if (!sfz.empty()) {
            auto stack = player.stackOfAll(sfz);
            const std::size_t strokes = stack.strikes.size();
            stacks.push_back({{name, role, {}, strokes}, std::move(stack)});
        }
    return stacks;
}

Result<PlayedKit> playPattern(const layers::Pattern& pattern, const std::string& patternName,
                              const KitSounds& kit, double rateHz, const fs::path& sessionFolder,
                              const CancelToken& cancel, const ProgressFn& progress) {
    PlayedKit played;
    played.notes = kit.notes;
    std::set<std::string> said;
    const auto stacks = stacksOf(pattern, patternName, kit);
    const auto isSounding = [](const PlannedStack& one) { return !one.stack.layers.empty(); };
    if (std::none_of(stacks.begin(), stacks.end(),
                     [&](const auto& one) { return isSounding(one) && !one.drum.notes.empty(); }))
        return Error{ErrorCode::Empty,
                     "The kit has no sound for any drum of the pattern; nothing was added."};
    for (const auto& one : stacks) {
        if (!isSounding(one)) {
            played.notes.push_back(fmt::format("The kit has no sound for {}; its {} strokes are left out.",
                                               one.drum.name, one.drum.strokes));
            continue;
        }
        auto written = writeStack(one.stack, rateHz, sessionFolder, one.drum.name, cancel);
        if (!written)
            return written.error();
        for (const auto& note : written->notes)
            if (said.insert(note).second)
                played.notes.push_back(note);
        played.drums.push_back({one.drum, std::move(*written)});
        if (progress)
            progress(static_cast<double>(played.drums.size()) / static_cast<double>(stacks.size()));
    }
    return played;
}

session::Session withPlayedKit(session::Session s, const PlayedKit& kit, std::vector<session::Id>* made) {
    for (const auto& played : kit.drums) {
        const session::Id bus = session::startingBus(s, played.drum.role);
        auto with = session::withMadeElement(std::move(s), played.written.file,
                                             {played.drum.name, played.drum.role, bus, 0});
        s = std::move(with.session);
        if (made != nullptr)
            made->push_back(with.element);
    }
    return s;
}

} // namespace cask::project
