#include "core/layers/drum_marks.h"

#include <algorithm>
#include <array>
#include <span>
#include <string_view>

namespace cask::layers {
namespace {

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

} // namespace

std::set<std::string> drumMarks(const std::vector<std::string>& words) {
    return marksIn(words, kMarks);
}

std::set<std::string> instrumentMarks(const std::vector<std::string>& words) {
    return marksIn(words, kInstruments);
}

} // namespace cask::layers
