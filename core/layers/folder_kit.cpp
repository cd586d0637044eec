#include "core/layers/folder_kit.h"

#include "core/base/shared_drum.h"
#include "core/layers/drum_map.h"
#include "core/layers/name_words.h"
#include "core/layers/shelf.h"

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
constexpr std::array kTomNotes = {50, 48, 47, 45, 43, 41}; // high to low

/// A word that tells drums of one role apart, and what people write for it.
struct Mark {
    std::string_view mark;
    std::array<std::string_view, 5> words;
};
constexpr Mark kMarks[] = {
    {"high", {"high", "hi", "ht"}},
    {"middle", {"mid", "middle", "mt"}},
    {"low", {"low", "lo", "lt"}},
    {"rack", {"rack"}},
    {"floor", {"floor", "flr"}},
    {"pedal", {"pedal", "foot", "chick"}},
    {"half", {"half", "semi", "loose"}},
    {"open", {"open"}},
    {"muted", {"muted", "mute", "dead", "choke", "choked"}},
    {"edge", {"edge", "shank"}},
    {"bell", {"bell", "cup"}},
    {"china", {"china"}},
    {"splash", {"splash"}},
    {"stack", {"stack"}},
    {"rimshot", {"rimshot", "rs"}},
    {"flam", {"flam"}},
    {"roll", {"roll", "drag", "ruff", "buzz"}},
    {"brush", {"brush", "brushes"}},
    {"short", {"short"}},
    {"long", {"long"}},
};
/// Instruments that share the role of percussion.
constexpr Mark kInstruments[] = {
    {"tambourine", {"tambourine", "tamb", "tambo", "tambourin"}},
    {"cowbell", {"cowbell", "cowbells", "cow"}},
    {"vibraslap", {"vibraslap"}},
    {"bongo", {"bongo", "bongos"}},
    {"conga", {"conga", "congas"}},
    {"timbale", {"timbale", "timbales"}},
    {"agogo", {"agogo", "agogos"}},
    {"cabasa", {"cabasa"}},
    {"maracas", {"maracas", "maraca"}},
    {"shaker", {"shaker", "shakers"}},
    {"whistle", {"whistle"}},
    {"guiro", {"guiro"}},
    {"claves", {"claves", "clave"}},
    {"block", {"block", "blocks", "woodblock", "woodblocks"}},
    {"cuica", {"cuica"}},
    {"triangle", {"triangle"}},
};

std::set<std::string> marksIn(const std::vector<std::string>& words, std::span<const Mark> known) {
    std::set<std::string> marks;
    for (const auto& one : known)
        if (std::find_first_of(words.begin(), words.end(), one.words.begin(), one.words.end()) != words.end())
            marks.emplace(one.mark);
    return marks;
}

bool isTom(Role role) {
    return role == Role::RackTom || role == Role::FloorTom;
}

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
    key.marks = marksIn(words, kMarks);
    if (key.role == Role::OpenHat)
        key.marks.erase("open");
    if (key.role == Role::Percussion)
        key.marks.merge(marksIn(words, kInstruments));
    return key;
}

using Shots = std::vector<FoundShot>;

double medianNote(const Shots& shots) {
    std::vector<double> notes;
    for (const auto& shot : shots)
        if (shot.noteHz > 0)
            notes.push_back(shot.noteHz);
    if (notes.empty())
        return 0;
    const auto middle = notes.begin() + static_cast<std::ptrdiff_t>(notes.size() / 2);
    std::nth_element(notes.begin(), middle, notes.end());
    return *middle;
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

/// Toms whose names do not tell them apart, by their notes: as many strokes of each, else it is one that was
/// read wrongly.
std::vector<Shots> byNote(Shots shots) {
    if (std::any_of(shots.begin(), shots.end(), [](const auto& shot) { return shot.noteHz <= 0; }))
        return std::vector<Shots>{std::move(shots)};
    std::stable_sort(shots.begin(), shots.end(),
                     [](const auto& a, const auto& b) { return a.noteHz > b.noteHz; });
    std::vector<Shots> drums;
    for (const auto& shot : shots) {
        if (drums.empty() || drums.back().back().noteHz > kTomsApart * shot.noteHz)
            drums.emplace_back();
        drums.back().push_back(shot);
    }
    const bool areAlike = std::all_of(drums.begin(), drums.end(),
                                      [&](const auto& drum) { return drum.size() == drums.front().size(); });
    return areAlike ? drums : std::vector<Shots>{std::move(shots)};
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
        sounds.push_back({folder / shot.file, shot.loudnessDb});
    drum.sounds = byVelocity(std::move(sounds));
    return drum;
}

/// High to low: by their notes where all have one, else by their words, roles and numbers.
std::vector<std::size_t> tomsOf(const std::vector<FolderDrum>& drums) {
    std::vector<std::size_t> toms;
    for (std::size_t i = 0; i < drums.size(); ++i)
        if (isTom(drums[i].role))
            toms.push_back(i);
    const bool haveNotes =
        std::all_of(toms.begin(), toms.end(), [&](std::size_t i) { return drums[i].noteHz > 0; });
    const auto height = [&](std::size_t i) {
        const auto& drum = drums[i];
        const int word = drum.marks.contains("high") ? -1 : drum.marks.contains("low") ? 1 : 0;
        return haveNotes ? std::tuple(-drum.noteHz, 0, 0)
                         : std::tuple(drum.role == Role::FloorTom ? 1.0 : 0.0, word, drum.number);
    };
    std::stable_sort(toms.begin(), toms.end(),
                     [&](std::size_t a, std::size_t b) { return height(a) < height(b); });
    return toms;
}

/// Spreads notes over toms, both high to low, at least cost: how far each is from its place among all, and
/// half of everything for a rack tom's note on a floor tom.
void strikeToms(const std::vector<FolderDrum>& drums, const std::set<int>& notes,
                std::map<int, std::size_t>& struck) {
    const auto toms = tomsOf(drums);
    std::vector<std::size_t> places; // of the notes that are struck
    for (std::size_t place = 0; place < kTomNotes.size(); ++place)
        if (notes.contains(kTomNotes[place]))
            places.push_back(place);
    if (toms.empty() || places.empty())
        return;
    const bool oneEach = toms.size() >= places.size();
    const auto cost = [&](std::size_t n, std::size_t t) {
        const auto middle = [](std::size_t i, std::size_t of) {
            return (static_cast<double>(i) + 0.5) / static_cast<double>(of);
        };
        const Role role = findNote(generalMidiMap(), kTomNotes[places[n]])->role;
        return std::abs(middle(places[n], kTomNotes.size()) - middle(t, toms.size())) +
               (drums[toms[t]].role == role ? 0 : 0.5);
    };
    // best[t]: of the notes so far, the last of them on tom t.
    std::vector<double> best(toms.size());
    std::vector<std::vector<std::size_t>> before(places.size(), std::vector<std::size_t>(toms.size()));
    for (std::size_t n = 0; n < places.size(); ++n) {
        std::vector<double> next(toms.size(), std::numeric_limits<double>::infinity());
        for (std::size_t t = 0; t < toms.size(); ++t) {
            if (n == 0) {
                next[t] = cost(n, t);
                continue;
            }
            for (std::size_t last = 0; last < t + (oneEach ? 0 : 1); ++last)
                if (const double sum = best[last] + cost(n, t); sum < next[t]) {
                    next[t] = sum;
                    before[n][t] = last;
                }
        }
        best = next;
    }
    auto tom = static_cast<std::size_t>(std::min_element(best.begin(), best.end()) - best.begin());
    for (std::size_t n = places.size(); n-- > 0; tom = before[n][tom])
        struck[kTomNotes[places[n]]] = toms[tom];
}

/// How well a drum's words agree with a note's; nothing where it is another instrument.
std::optional<int> agreement(const FolderDrum& drum, const MappedNote& note) {
    if (drum.role != sharedDrum(note.role))
        return {};
    const auto words = nameWords(note.name);
    auto marks = marksIn(words, kMarks);
    if (drum.role == Role::OpenHat)
        marks.erase("open");
    if (drum.role == Role::Percussion) {
        const auto instruments = marksIn(words, kInstruments);
        for (const auto& one : kInstruments)
            if (drum.marks.contains(std::string(one.mark)) && !instruments.contains(std::string(one.mark)))
                return {};
        marks.insert(instruments.begin(), instruments.end());
    }
    int sum = 0;
    for (const auto& mark : drum.marks)
        sum += marks.contains(mark) ? 1 : -1;
    return sum;
}

void strikeOther(const std::vector<FolderDrum>& drums, const MappedNote& note,
                 std::map<int, std::size_t>& struck) {
    std::vector<std::size_t> best;
    int most = std::numeric_limits<int>::min();
    for (std::size_t i = 0; i < drums.size(); ++i)
        if (const auto sum = agreement(drums[i], note); sum && *sum >= most) {
            if (*sum > most)
                best.clear();
            most = *sum;
            best.push_back(i);
        }
    if (best.empty())
        return;
    const bool isSecond = note.name.ends_with(" 2") && best.size() > 1;
    struck[note.note] = best[isSecond ? 1 : 0];
}

} // namespace

bool isDrum(Role role) {
    const auto group = roleInfo(role).group;
    return role == Role::Percussion ||
           ((group == RoleGroup::Shells || group == RoleGroup::Cymbals) && role != Role::Unknown &&
            role != Role::Loop && role != Role::Effect && role != Role::Overhead);
}

Role roleOfShot(const fs::path& file, const std::optional<measure::SoundLook>& look) {
    if (const auto guess = guessBehindKitName(file.stem().string()); guess.confidence > 0)
        return guess.role;
    // "Hats/Open/01.wav" is an open hat, "Snare/Room/01.wav" a room: folders are read as words in front.
    std::string name = file.stem().string();
    for (auto folder = file.parent_path(); !folder.empty(); folder = folder.parent_path()) {
        name = folder.filename().string() + ' ' + name;
        if (const auto guess = guessOf(name); guess.confidence > 0)
            return guess.role;
    }
    return look ? guessRoleOfLook(*look).role : Role::Unknown;
}

std::vector<FolderDrum> drumsOfFolder(const std::vector<FoundShot>& shots, const fs::path& folder) {
    std::map<Key, Shots> parts;
    for (const auto& shot : shots)
        if (isDrum(shot.role))
            parts[keyOf(shot)].push_back(shot);
    std::vector<FolderDrum> drums;
    for (const auto& [key, own] : withoutCounting(parts)) {
        const bool isPlain = isTom(key.role) && key.number == 0 && !key.marks.contains("high") &&
                             !key.marks.contains("middle") && !key.marks.contains("low");
        for (const auto& one : isPlain ? byNote(own) : std::vector<Shots>{own})
            drums.push_back(drumOf(key, one, folder));
    }
    return drums;
}

std::map<int, std::size_t> struckDrums(const std::vector<FolderDrum>& drums, const std::set<int>& notes) {
    std::map<int, std::size_t> struck;
    strikeToms(drums, notes, struck);
    for (const int number : notes)
        if (const auto* note = findNote(generalMidiMap(), number); note != nullptr && !isTom(note->role))
            strikeOther(drums, *note, struck);
    return struck;
}

} // namespace cask::layers
