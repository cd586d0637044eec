#include "core/layers/folder_kit.h"

#include "core/base/shared_drum.h"
#include "core/layers/drum_marks.h"
#include "core/layers/drums_by_ear.h"
#include "core/layers/name_words.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <span>
#include <tuple>

namespace cask::layers {
namespace {

namespace fs = std::filesystem;

constexpr double kTomsApart = 1.1225; // two semitones
constexpr const char* kGaps = " _-.";

RoleGuess guessOf(const std::string& words) {
    return guessRoleFromName(words + ".wav");
}

/// Words in front may be the name of the kit ("Oak Room Kick 2").
RoleGuess guessBehindKitName(const std::string& name) {
    const auto whole = guessOf(name);
    if (whole.confidence <= 0 || isDrum(whole.role))
        return whole;
    const auto words = nameWords(name);
    for (std::size_t from = 1; from < words.size(); ++from) {
        std::string rest;
        for (std::size_t i = from; i < words.size(); ++i)
            rest += words[i] + ' ';
        if (const auto guess = guessOf(rest); guess.confidence > 0 && isDrum(guess.role))
            return guess;
    }
    return whole;
}

/// The number that stands right behind a word for a drum, with more behind it.
int numberWithin(const std::vector<std::string>& words) {
    for (std::size_t i = 1; i + 1 < words.size(); ++i)
        if (isNumber(words[i]) && isDrum(guessOf(words[i - 1]).role) && words[i].size() < 4)
            return std::stoi(words[i]);
    return 0;
}

/// What tells one drum from another.
struct Key {
    Role role = Role::Unknown;
    std::set<std::string> marks;
    int number = 0;
    bool isOfFolder = false; ///< the number
    friend bool operator<(const Key& a, const Key& b) {
        return std::tie(a.role, a.number, a.marks, a.isOfFolder) <
               std::tie(b.role, b.number, b.marks, b.isOfFolder);
    }
};

Key keyOf(const FoundShot& shot) {
    Key key{sharedDrum(shot.role), {}, 0, false};
    auto words = nameWords(shot.file.stem().string());
    key.number = numberWithin(words);
    bool isWithinDrum = false;
    for (const auto& part : shot.file.parent_path()) {
        const auto folder = nameWords(part.string());
        const Role role = guessOf(part.string()).role;
        isWithinDrum = isWithinDrum || isDrum(role);
        if (!isWithinDrum)
            continue; // the kit's name
        words.insert(words.end(), folder.begin(), folder.end());
        // A folder holds a drum: its number needs no more behind it.
        if (isDrum(role) && folder.size() > 1 && isNumber(folder.back()) && folder.back().size() < 4) {
            key.number = std::stoi(folder.back());
            key.isOfFolder = true;
        }
    }
    key.marks = drumMarks(words);
    if (key.role == Role::OpenHat)
        key.marks.erase("open");
    if (key.role == Role::Percussion)
        key.marks.merge(instrumentMarks(words));
    return key;
}

using Shots = std::vector<FoundShot>;

double noteOf(const FoundShot& shot) {
    return shot.look ? shot.look->fundamentalHz : 0;
}

double median(std::vector<double> values) {
    if (values.empty())
        return 0;
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

std::vector<measure::SoundLook> looksOf(const Shots& shots) {
    std::vector<measure::SoundLook> looks;
    for (const auto& shot : shots)
        if (shot.look)
            looks.push_back(*shot.look);
    return looks;
}

double medianNote(const Shots& shots) {
    std::vector<double> notes;
    for (const auto& shot : shots)
        if (noteOf(shot) > 0)
            notes.push_back(noteOf(shot));
    return median(std::move(notes));
}

/// Of strokes without one, the next best.
double medianLow(const std::vector<measure::SoundLook>& looks) {
    std::vector<double> lows;
    for (const auto& look : looks)
        lows.push_back(measure::strongestLowHz(look.shape));
    return median(std::move(lows));
}

/// Numbers that no two sounds share count strokes, not drums ("Snare 01 v20", "Snare 02 v45").
std::map<Key, Shots> withoutCounting(const std::map<Key, Shots>& parts) {
    std::map<Key, Shots> merged;
    for (const auto& [key, shots] : parts) {
        const bool counts =
            !key.isOfFolder && std::all_of(parts.begin(), parts.end(), [&, &own = key](const auto& other) {
                return other.first.role != own.role || other.first.marks != own.marks ||
                       other.second.size() == 1;
            });
        Key plain = key;
        if (counts)
            plain.number = 0;
        auto& into = merged[plain];
        into.insert(into.end(), shots.begin(), shots.end());
    }
    return merged;
}

/// High to low, where all have a note.
std::vector<Shots> byNote(Shots shots) {
    if (std::any_of(shots.begin(), shots.end(), [](const auto& shot) { return noteOf(shot) <= 0; }))
        return std::vector<Shots>{std::move(shots)};
    std::stable_sort(shots.begin(), shots.end(),
                     [](const auto& a, const auto& b) { return noteOf(a) > noteOf(b); });
    std::vector<Shots> drums;
    for (const auto& shot : shots) {
        if (drums.empty() || noteOf(drums.back().back()) > kTomsApart * noteOf(shot))
            drums.emplace_back();
        drums.back().push_back(shot);
    }
    return drums;
}

std::vector<Shots> byEar(const Shots& shots) {
    const auto looks = looksOf(shots);
    if (looks.size() != shots.size())
        return std::vector<Shots>{shots};
    std::vector<Shots> drums;
    for (const auto& strokes : toldApart(looks)) {
        drums.emplace_back();
        for (const std::size_t i : strokes)
            drums.back().push_back(shots[i]);
    }
    return drums;
}

/// Toms whose names do not tell them apart, by their notes, else by ear: as many strokes of each, else it is
/// one that was read wrongly.
std::vector<Shots> tomsApart(const Shots& shots) {
    for (auto& drums : {byNote(shots), byEar(shots)})
        if (drums.size() > 1 && std::all_of(drums.begin(), drums.end(), [&](const auto& drum) {
                return drum.size() == drums.front().size();
            }))
            return drums;
    return std::vector<Shots>{shots};
}

/// The words that all names begin with, as they are written; else the folder, else the first name.
std::string nameOf(const Shots& shots) {
    std::string first = shots.front().file.stem().string();
    if (shots.size() == 1)
        return first;
    std::size_t same = first.size();
    for (const auto& shot : shots) {
        const std::string name = shot.file.stem().string();
        const auto differs = std::mismatch(first.begin(), first.end(), name.begin(), name.end()).first;
        same = std::min(same, static_cast<std::size_t>(differs - first.begin()));
    }
    if (same < first.size()) { // to the last gap, or not within a word
        const auto gap = first.find_last_of(kGaps, same);
        same = gap == std::string::npos ? 0 : gap;
    }
    if (const auto last = first.substr(0, same).find_last_not_of(kGaps); last != std::string::npos)
        return first.substr(0, last + 1);
    const auto folder = shots.front().file.parent_path().filename().string();
    return folder.empty() ? first : folder;
}

FolderDrum drumOf(const Key& key, const Shots& shots, const fs::path& folder) {
    FolderDrum drum{nameOf(shots), key.role, key.marks, key.number, medianNote(shots), {}};
    std::vector<MeasuredSound> sounds;
    for (const auto& shot : shots)
        sounds.push_back({folder / shot.file, shot.look ? shot.look->loudnessDb : kSilenceDb});
    drum.sounds = byVelocity(std::move(sounds));
    return drum;
}

} // namespace

bool isDrum(Role role) {
    const auto group = roleInfo(role).group;
    return role == Role::Percussion ||
           ((group == RoleGroup::Shells || group == RoleGroup::Cymbals) && role != Role::Unknown &&
            role != Role::Loop && role != Role::Effect && role != Role::Overhead);
}

Role roleOfName(const fs::path& file) {
    if (const auto guess = guessBehindKitName(file.stem().string()); guess.confidence > 0)
        return guess.role;
    // "Hats/Open/01.wav" is an open hat, "Snare/Room/01.wav" a room: folders are read as words in front.
    std::string name = file.stem().string();
    for (auto folder = file.parent_path(); !folder.empty(); folder = folder.parent_path()) {
        name = folder.filename().string() + ' ' + name;
        if (const auto guess = guessOf(name); guess.confidence > 0)
            return guess.role;
    }
    return Role::Unknown;
}

std::vector<FolderDrum> drumsOfFolder(const std::vector<FoundShot>& shots, const fs::path& folder) {
    std::map<Key, Shots> parts;
    Shots unnamed;
    for (const auto& shot : shots)
        if (isDrum(shot.role))
            parts[keyOf(shot)].push_back(shot);
        else if (shot.role == Role::Unknown && shot.look)
            unnamed.push_back(shot);
    const auto isNamed = [&parts](Role role) {
        return std::any_of(parts.begin(), parts.end(),
                           [&](const auto& one) { return one.first.role == role; });
    };
    std::vector<FolderDrum> heard;
    for (const auto& own : byEar(unnamed)) {
        const auto looks = looksOf(own);
        const Key key{guessRoleOfLooks(looks).role, {}, 0, false};
        if (isNamed(key.role)) {
            auto& into = parts[key];
            into.insert(into.end(), own.begin(), own.end());
        } else if (isDrum(key.role)) {
            heard.push_back(drumOf(key, own, folder));
            heard.back().name = own.front().file.stem().string(); // what names have in common says nothing
            heard.back().typical = typicalOf(looks);
            if (heard.back().noteHz <= 0)
                heard.back().noteHz = medianLow(looks);
        }
    }
    std::vector<FolderDrum> drums;
    for (const auto& [key, own] : withoutCounting(parts)) {
        const bool isPlain = isTom(key.role) && key.number == 0 && !key.marks.contains("high") &&
                             !key.marks.contains("middle") && !key.marks.contains("low");
        for (const auto& one : isPlain ? tomsApart(own) : std::vector<Shots>{own})
            drums.push_back(drumOf(key, one, folder));
    }
    drums.insert(drums.end(), heard.begin(), heard.end());
    std::stable_sort(drums.begin(), drums.end(),
                     [](const auto& a, const auto& b) { return a.role < b.role; });
    return drums;
}

} // namespace cask::layers
