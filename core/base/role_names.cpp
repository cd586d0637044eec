// What people call their files: English, German, French and Spanish, whole, short and run together.
#include "core/base/role.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <string>
#include <vector>

namespace cask {
namespace {

enum class Means {
    Nothing, ///< known, and of no help
    Kick,
    Snare,
    Hat,
    Tom,
    RackTom,
    FloorTom,
    Ride,
    Crash,
    Overhead,
    Air, ///< overheads, of a tom the one that hangs
    Room,
    In,
    Out,
    Sub,
    Top,
    Bottom,
    Low,
    High,
    Open,
    SideStick,
    Stick,
    Side,
    Rimshot,
    Clap,
    Percussion,
    Loop,
    Bass,
    Drum,
    Big,
    Small,
    Voice,
    Lead,
    Music,
    Effect,
};

struct Word {
    std::string_view text;
    Means means;
};

using enum Means;
constexpr Word kWords[] = {
    {"kick", Kick},
    {"kik", Kick},
    {"kck", Kick},
    {"kk", Kick},
    {"bd", Kick},
    {"kd", Kick},
    {"bombo", Kick},
    {"gc", Kick},
    {"fusstrommel", Kick},
    {"snare", Snare},
    {"sn", Snare},
    {"snr", Snare},
    {"sna", Snare},
    {"sd", Snare},
    {"cc", Snare},
    {"caja", Snare},
    {"redoblante", Snare},
    {"tarola", Snare},
    {"claire", Snare},
    {"schnarr", Snare},
    {"hat", Hat},
    {"hats", Hat},
    {"hh", Hat},
    {"hihat", Hat},
    {"hihats", Hat},
    {"charley", Hat},
    {"charleston", Hat},
    {"charles", Hat},
    {"contratiempo", Hat},
    {"tom", Tom},
    {"toms", Tom},
    {"rack", RackTom},
    {"rt", RackTom},
    {"tr", RackTom},
    {"hange", RackTom},
    {"floor", FloorTom},
    {"flr", FloorTom},
    {"ft", FloorTom},
    {"tf", FloorTom},
    {"stand", FloorTom},
    {"goliat", FloorTom},
    {"piso", FloorTom},
    {"suelo", FloorTom},
    {"ride", Ride},
    {"crash", Crash},
    {"splash", Crash},
    {"china", Crash},
    {"cymbal", Crash},
    {"cymbals", Crash},
    {"cym", Crash},
    {"becken", Crash},
    {"cymbale", Crash},
    {"cymbales", Crash},
    {"platillo", Crash},
    {"platillos", Crash},
    {"plato", Crash},
    {"platos", Crash},
    {"oh", Overhead},
    {"ohs", Overhead},
    {"overhead", Overhead},
    {"overheads", Overhead},
    {"over", Overhead},
    {"head", Nothing},
    {"heads", Nothing},
    {"ovh", Overhead},
    {"ovhd", Overhead},
    {"ovhs", Overhead},
    {"uberkopf", Overhead},
    {"aerien", Air},
    {"aeriens", Air},
    {"aereo", Air},
    {"aereos", Air},
    {"cenital", Overhead},
    {"cenitales", Overhead},
    {"room", Room},
    {"rooms", Room},
    {"rm", Room},
    {"rms", Room},
    {"amb", Room},
    {"ambience", Room},
    {"ambient", Room},
    {"ambiance", Room},
    {"ambiente", Room},
    {"hall", Room},
    {"far", Room},
    {"raum", Room},
    {"salle", Room},
    {"sala", Room},
    {"piece", Room},
    {"in", In},
    {"inside", In},
    {"inner", In},
    {"innen", In},
    {"int", In},
    {"interieur", In},
    {"dedans", In},
    {"dentro", In},
    {"adentro", In},
    {"interior", In},
    {"beater", In},
    {"out", Out},
    {"outside", Out},
    {"outer", Out},
    {"aussen", Out},
    {"ext", Out},
    {"exterieur", Out},
    {"dehors", Out},
    {"fuera", Out},
    {"afuera", Out},
    {"exterior", Out},
    {"front", Out},
    {"sub", Sub},
    {"subkick", Sub},
    {"top", Top},
    {"tp", Top},
    {"up", Top},
    {"upper", Top},
    {"oben", Top},
    {"dessus", Top},
    {"haut", Top},
    {"arriba", Top},
    {"superior", Top},
    {"bottom", Bottom},
    {"bot", Bottom},
    {"btm", Bottom},
    {"bt", Bottom},
    {"under", Bottom},
    {"dn", Bottom},
    {"down", Bottom},
    {"unten", Bottom},
    {"dessous", Bottom},
    {"bas", Bottom},
    {"abajo", Bottom},
    {"inferior", Bottom},
    {"wires", Bottom},
    {"teppich", Bottom},
    {"timbre", Bottom},
    {"bordonera", Bottom},
    {"low", Low},
    {"lo", Low},
    {"lower", Low},
    {"grave", Low},
    {"tief", Low},
    {"high", High},
    {"hi", High},
    {"mid", High},
    {"medium", High},
    {"aigu", High},
    {"alto", High},
    {"open", Open},
    {"offen", Open},
    {"ouvert", Open},
    {"abierto", Open},
    {"sidestick", SideStick},
    {"rim", SideStick},
    {"xstick", SideStick},
    {"rimclick", SideStick},
    {"stick", Stick},
    {"cross", Side},
    {"side", Side},
    {"rimshot", Rimshot},
    {"clap", Clap},
    {"claps", Clap},
    {"snap", Clap},
    {"perc", Percussion},
    {"percussion", Percussion},
    {"shaker", Percussion},
    {"tamb", Percussion},
    {"tambourine", Percussion},
    {"cowbell", Percussion},
    {"conga", Percussion},
    {"congas", Percussion},
    {"bongo", Percussion},
    {"bongos", Percussion},
    {"loop", Loop},
    {"bass", Bass},
    {"bs", Bass},
    {"basse", Bass},
    {"bajo", Bass},
    {"drum", Drum},
    {"drums", Nothing},
    {"trommel", Drum},
    {"caisse", Drum},
    {"grosse", Big},
    {"kleine", Small},
    {"vox", Voice},
    {"voice", Voice},
    {"vocal", Voice},
    {"vocals", Voice},
    {"voc", Voice},
    {"gesang", Voice},
    {"voix", Voice},
    {"voz", Voice},
    {"lead", Lead},
    {"music", Music},
    {"musik", Music},
    {"gtr", Music},
    {"guitar", Music},
    {"guitars", Music},
    {"gitarre", Music},
    {"guitare", Music},
    {"guitarra", Music},
    {"keys", Music},
    {"piano", Music},
    {"synth", Music},
    {"instrumental", Music},
    {"fx", Effect},
    {"effect", Effect},
    {"sfx", Effect},
    {"mic", Nothing},
    {"left", Nothing},
    {"right", Nothing},
    {"links", Nothing},
    {"rechts", Nothing},
    {"de", Nothing},
    {"ch", Nothing},
};

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

/// What stands behind the last dot ends a name when it is two to four letters or digits long.
std::string_view withoutEnding(std::string_view name) {
    const auto dot = name.find_last_of('.');
    if (dot == std::string_view::npos || dot == 0 || name.size() - dot < 3 || name.size() - dot > 5 ||
        !std::all_of(name.begin() + static_cast<std::ptrdiff_t>(dot) + 1, name.end(),
                     [](unsigned char c) { return std::isalnum(c) != 0; }))
        return name;
    return name.substr(0, dot);
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
    for (const auto& known : kWords)
        if (word == known.text) {
            means.push_back(known.means);
            return true;
        }
    // The longest first, so that "overheads" is not over and heads.
    for (std::size_t length = word.size() - 1; length >= 2 && length < word.size(); --length) {
        const auto* known = std::find_if(std::begin(kWords), std::end(kWords),
                                         [&](const Word& w) { return w.text == word.substr(0, length); });
        if (known == std::end(kWords))
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
        has({Kick, Snare, Hat, Tom, RackTom, FloorTom, Ride, Crash, Overhead, Air, Room, Bass});
    bool isByLetter = false;
    for (const auto& letter : letters) {
        const Means m = readLetter(letter, words.size() == 1, has({Snare}));
        if (m == Top || m == Bottom || (!isNamed && m != Nothing)) {
            isByLetter = isByLetter || (m != Top && m != Bottom);
            means.push_back(m);
        }
    }
    const double sure = isByLetter ? 0.6 : 0.8;

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
        return {has({Bottom, Low}) ? Role::SnareBottom : Role::SnareTop,
                has({Top, Bottom}) && !isByLetter ? 1.0 : sure};
    if (has({Clap}))
        return {Role::Clap, 0.9};
    if (has({Hat}) && !has({Tom}))
        return {has({Open}) || hasOpenHat ? Role::OpenHat : Role::ClosedHat, isByLetter ? 0.6 : 0.9};
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

PairMark pairMark(std::string_view fileName) {
    const std::string_view whole = withoutEnding(fileName);
    const auto isSeparator = [](char c) { return c == ' ' || c == '_' || c == '-' || c == '.' || c == '('; };
    // "OVERHEADS.L_01": the number of a take stands behind the side.
    std::string_view name = whole;
    while (!name.empty() && std::isdigit(static_cast<unsigned char>(name.back())))
        name.remove_suffix(1);
    if (name.size() == whole.size() || name.empty() || !isSeparator(name.back()))
        name = whole;
    const std::string take(whole.substr(name.size()));
    const auto trimmed = [&](std::string_view text) {
        while (!text.empty() && isSeparator(text.back()))
            text.remove_suffix(1);
        return text;
    };
    name = trimmed(name);
    std::string lower(name);
    std::transform(lower.begin(), lower.end(), lower.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    constexpr std::pair<std::string_view, char> kSides[] = {
        {"left", 'L'},      {"right", 'R'},  {"l", 'L'},   {"r", 'R'},         {"links", 'L'},
        {"rechts", 'R'},    {"li", 'L'},     {"re", 'R'},  {"gauche", 'L'},    {"droite", 'R'},
        {"droit", 'R'},     {"izq", 'L'},    {"der", 'R'}, {"izquierda", 'L'}, {"derecha", 'R'},
        {"izquierdo", 'L'}, {"derecho", 'R'}};
    for (const auto& [word, side] : kSides)
        if (lower.size() > word.size() && lower.ends_with(word) &&
            isSeparator(lower[lower.size() - word.size() - 1]))
            return {side, std::string(trimmed(name.substr(0, name.size() - word.size()))), take};
    // "OHL.wav", "RoomR.wav": a capital right after a word.
    if (name.size() >= 3 && (name.back() == 'L' || name.back() == 'R') &&
        std::isalpha(static_cast<unsigned char>(name[name.size() - 2])))
        return {name.back(), std::string(name.substr(0, name.size() - 1)), take};
    return {0, std::string(whole), {}};
}

} // namespace cask
