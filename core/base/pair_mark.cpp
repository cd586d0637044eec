// Left and right in file names.
#include "core/base/role.h"
#include "core/base/role_words.h"

#include <algorithm>
#include <cctype>
#include <string>

namespace cask {

// What stands behind the last dot ends a name when it is two to four letters or digits long.
std::string_view withoutEnding(std::string_view name) {
    const auto dot = name.find_last_of('.');
    if (dot == std::string_view::npos || dot == 0 || name.size() - dot < 3 || name.size() - dot > 5 ||
        !std::all_of(name.begin() + static_cast<std::ptrdiff_t>(dot) + 1, name.end(),
                     [](unsigned char c) { return std::isalnum(c) != 0; }))
        return name;
    return name.substr(0, dot);
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
