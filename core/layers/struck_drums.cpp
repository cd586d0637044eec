// Which drum of a folder a note strikes.
#include "core/base/shared_drum.h"
#include "core/layers/drum_marks.h"
#include "core/layers/drums_by_ear.h"
#include "core/layers/folder_kit.h"
#include "core/layers/name_words.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <tuple>

namespace cask::layers {
namespace {

constexpr std::array kTomNotes = {50, 48, 47, 45, 43, 41}; // high to low

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
    auto marks = drumMarks(words);
    if (drum.role == Role::OpenHat)
        marks.erase("open");
    if (drum.role == Role::Percussion) {
        const auto instruments = instrumentMarks(words);
        const auto own = instrumentMarks({drum.marks.begin(), drum.marks.end()});
        if (!std::includes(instruments.begin(), instruments.end(), own.begin(), own.end()))
            return {};
        marks.insert(instruments.begin(), instruments.end());
    }
    int sum = 0;
    for (const auto& mark : drum.marks)
        sum += marks.contains(mark) ? 1 : -1;
    return sum;
}

bool isSecond(const MappedNote& note) {
    return note.name.ends_with(" 2");
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
    struck[note.note] = best[isSecond(note) && best.size() > 1 ? 1 : 0];
}

/// A hat may be heard as another than it is: a foot that lets it ring makes it half open.
Role heardAs(Role role) {
    return role == Role::OpenHat ? Role::ClosedHat : role;
}

bool isHeard(const FolderDrum& drum, const MappedNote& note) {
    return drum.typical && heardAs(drum.role) == heardAs(note.role);
}

double apart(const FolderDrum& drum, const MappedNote& note) {
    return apart(*drum.typical, note.typical) + (drum.role == note.role ? 0 : 1);
}

/// Notes of one role strike the drums of it that sound most as their instruments do: the nearest first, each
/// by one of its own as far as they reach, then in turns wherever all come nearer by it.
void strikeByEar(const std::vector<FolderDrum>& drums, const std::vector<const MappedNote*>& notes,
                 std::map<int, std::size_t>& struck) {
    struct Pair {
        const MappedNote* note;
        std::size_t drum;
        double apart;
    };
    std::vector<Pair> pairs;
    for (const auto* note : notes)
        for (std::size_t i = 0; i < drums.size(); ++i)
            if (isHeard(drums[i], *note))
                pairs.push_back({note, i, apart(drums[i], *note)});
    std::stable_sort(pairs.begin(), pairs.end(), [](const Pair& a, const Pair& b) {
        return std::pair(a.apart, isSecond(*a.note)) < std::pair(b.apart, isSecond(*b.note));
    });
    std::set<std::size_t> taken;
    for (const bool isShared : {false, true})
        for (const auto& [note, drum, _] : pairs)
            if (!struck.contains(note->note) && (isShared || !taken.contains(drum))) {
                struck[note->note] = drum;
                taken.insert(drum);
            }
    const auto cost = [&](const MappedNote& note, std::size_t drum) { return apart(drums[drum], note); };
    for (bool isNearer = true; isNearer;) {
        isNearer = false;
        for (const auto* one : notes)
            for (const auto* other : notes) {
                auto& a = struck.at(one->note);
                auto& b = struck.at(other->note);
                constexpr double kLeastGain = 1e-9;
                if (cost(*one, b) + cost(*other, a) < cost(*one, a) + cost(*other, b) - kLeastGain) {
                    std::swap(a, b);
                    isNearer = true;
                }
            }
    }
}

} // namespace

std::map<int, std::size_t> struckDrums(const std::vector<FolderDrum>& drums, const std::set<int>& notes) {
    std::map<int, std::size_t> struck;
    strikeToms(drums, notes, struck);
    std::map<Role, std::vector<const MappedNote*>> byEar;
    for (const int number : notes) {
        const auto* note = findNote(generalMidiMap(), number);
        if (note == nullptr || isTom(note->role))
            continue;
        if (std::any_of(drums.begin(), drums.end(), [&](const auto& drum) { return isHeard(drum, *note); }))
            byEar[heardAs(note->role)].push_back(note);
        else
            strikeOther(drums, *note, struck);
    }
    for (const auto& [role, own] : byEar)
        strikeByEar(drums, own, struck);
    return struck;
}

} // namespace cask::layers
