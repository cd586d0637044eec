// What people call their files: English, German, French and Spanish, whole, short and run together.
#include "core/base/role.h"
#include "core/base/role_words.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <string>
#include <vector>

namespace cask {
namespace {

/// Letters with their marks taken off, in lower case: what is not a letter of the four languages parts words.
std::string plain(std::string_view name) {
    struct Fold {
        std::string_view from, to;
    };
    constexpr Fold kFolds[] = {{"ä", "a"},
                               {"Ä", "A"},
                               {"ö", "o"},
                               {"Ö", "O"},
                               {"ü", "u"},
                               {"Ü", "U"},
                               {"ß", "ss"},
                               {"é", "e"},
                               {"É", "E"},
                               {"è", "e"},
                               {"È", "E"},
                               {"ê", "e"},
                               {"à", "a"},
                               {"â", "a"},
                               {"á", "a"},
                               {"Á", "A"},
                               {"í", "i"},
                               {"ó", "o"},
                               {"ú", "u"},
                               {"ñ", "n"},
                               {"ç", "c"},
                               {"î", "i"},
                               {"ô", "o"},
                               // marks that stand behind their letter
                               {"\xcc\x80", ""},
                               {"\xcc\x81", ""},
                               {"\xcc\x82", ""},
                               {"\xcc\x83", ""},
                               {"\xcc\x88", ""},
                               {"\xcc\xa7", ""}};
    std::string out;
    while (!name.empty()) {
        const auto* fold = std::find_if(std::begin(kFolds), std::end(kFolds),
                                        [&](const Fold& f) { return name.starts_with(f.from); });
        if (fold != std::end(kFolds)) {
            out += fold->to;
            name.remove_prefix(fold->from.size());
        } else {
            out.push_back(name.front());
            name.remove_prefix(1);
        }
    }
    return out;
}

struct NameWord {
    std::string text;
    bool isNumbered = false; ///< a digit follows
};

/// Lower-case words of a name: letters and digits part, capitals begin a word, the extension is dropped.
std::vector<NameWord> wordsOf(std::string_view fileName) {
    if (const auto slash = fileName.find_last_of('/'); slash != std::string_view::npos)
        fileName.remove_prefix(slash + 1);
    fileName = withoutEnding(fileName);
    std::vector<NameWord> words;
    unsigned char previous = ' ';
    for (const char c : plain(fileName)) {
        const auto u = static_cast<unsigned char>(c);
        const bool isLetter = std::isalpha(u) != 0;
        if (isLetter && (!std::isalpha(previous) || (std::isupper(u) && std::islower(previous))))
            words.emplace_back();
        if (isLetter)
            words.back().text.push_back(static_cast<char>(std::tolower(u)));
        else if (std::isdigit(u) && std::isalpha(previous))
            words.back().isNumbered = true;
        previous = u;
    }
    return words;
}

/// The meanings of a word, or of the words that were run together in it; false when there is a rest.
bool readWord(std::string_view word, std::vector<Means>& means) {
    for (const auto& known : kNameWords)
        if (word == known.text) {
            means.push_back(known.means);
            return true;
        }
    // The longest first, so that "overheads" is not over and heads.
    for (std::size_t length = word.size() - 1; length >= 2 && length < word.size(); --length) {
        const auto* known =
            std::find_if(std::begin(kNameWords), std::end(kNameWords),
                         [&](const NameWordMeaning& w) { return w.text == word.substr(0, length); });
        if (known == std::end(kNameWords))
            continue;
        const auto before = means.size();
        means.push_back(known->means);
        const auto rest = word.substr(length);
        if (rest == "l" || rest == "r" || rest == "s" || (rest.size() > 1 && readWord(rest, means)))
            return true;
        means.resize(before);
    }
    return false;
}

/// A letter alone speaks only beside another word, or with a number.
Means readLetter(const NameWord& word, bool isAlone, bool hasSnare) {
    switch (word.text[0]) {
    case 'k':
        return Kick;
    case 's':
        return Snare;
    case 'h':
        return Hat;
    case 't':
        return hasSnare ? Top : word.isNumbered || isAlone ? Tom : Nothing;
    case 'b':
        return hasSnare ? Bottom : Nothing;
    default:
        return Nothing;
    }
}

} // namespace

RoleGuess guessRoleFromName(std::string_view fileName) {
    const auto words = wordsOf(fileName);
    std::vector<Means> means;
    std::vector<NameWord> letters;
    for (const auto& word : words) {
        if (word.text.size() > 1)
            (void)readWord(word.text, means);
        else if (!word.text.empty())
            letters.push_back(word);
    }
    const auto has = [&](std::initializer_list<Means> list) {
        return std::find_first_of(means.begin(), means.end(), list.begin(), list.end()) != means.end();
    };
    const auto place = [&](Means m) { return std::find(means.begin(), means.end(), m) - means.begin(); };
    const bool isNamed =
        has({Kick, Snare, Hat, OpenHat, Tom, RackTom, FloorTom, Ride, Crash, Overhead, Air, Room, Bass});
    bool isByLetter = false;
    for (const auto& letter : letters) {
        const Means m = readLetter(letter, words.size() == 1, has({Snare}));
        if (m == Top || m == Bottom || (!isNamed && m != Nothing)) {
            isByLetter = isByLetter || (m != Top && m != Bottom);
            means.push_back(m);
        }
    }
    const double sure = isByLetter ? 0.6 : 0.8;

    // "Guide Bass" is a guide, "Kick Click" the microphone at a kick's beater.
    if (!has({Kick, Snare, SideStick, Rimshot, Hat, OpenHat, Tom, RackTom, FloorTom, Ride, Crash, Overhead,
              Room})) {
        if (has({ReferenceTrack}))
            return {Role::Reference, 0.8};
        if (has({GuideTrack}))
            return {Role::Guide, 0.8};
        if (has({ClickTrack}))
            return {Role::Click, 0.9};
        if (has({TalkbackTrack}))
            return {Role::Talkback, 0.9};
    }
    // Where a microphone stands says more than what it stands beside.
    if (has({Room}))
        return {Role::Room, 0.9};
    const bool hasOpenHat =
        has({Hat, High}) && has({Overhead}) && place(Hat) < place(Overhead) && !has({Side});
    if (has({Overhead}) && !hasOpenHat)
        return {Role::Overhead, 0.9};
    if (has({Air}) && !has({Tom}))
        return {Role::Overhead, 0.8};
    if (has({Sub}) && !has({Bass}))
        return {Role::SubKick, 0.8};
    if (has({Kick}) || (has({Drum}) && has({Bass, Big})))
        return {has({Out}) ? Role::KickOut : Role::KickIn, has({In, Out}) && !isByLetter ? 1.0 : sure};
    if (has({SideStick}) || (has({Side}) && has({Stick})))
        return {Role::SideStick, 0.9};
    if (has({Snare, Rimshot}) || (has({Small}) && has({Drum})))
        return {has({Bottom, Low, Out}) ? Role::SnareBottom : Role::SnareTop,
                has({Top, Bottom}) && !isByLetter ? 1.0 : sure};
    if (has({Clap}))
        return {Role::Clap, 0.9};
    if (has({Hat, OpenHat}) && !has({Tom}))
        return {has({Open, OpenHat}) || hasOpenHat ? Role::OpenHat : Role::ClosedHat, isByLetter ? 0.6 : 0.9};
    if (has({FloorTom}) || (has({Tom}) && has({Low, Bass, Bottom})))
        return {Role::FloorTom, 0.9};
    if (has({Tom, RackTom}))
        return {Role::RackTom, sure};
    if (has({Ride}))
        return {Role::Ride, 0.9};
    if (has({Crash}))
        return {Role::Crash, 0.8};
    if (has({Percussion}))
        return {Role::Percussion, 0.8};
    if (has({Loop}))
        return {Role::Loop, 0.8};
    if (has({Bass}))
        return {Role::Bass, 0.8};
    if (has({Voice}))
        return {Role::Voice, 0.8};
    if (has({Music}))
        return {Role::Music, 0.7};
    if (has({Lead}))
        return {Role::Voice, 0.4};
    if (has({Effect}))
        return {Role::Effect, 0.7};
    return {};
}

} // namespace cask
