#include "core/layers/name_words.h"

#include <cctype>

namespace cask::layers {

std::vector<std::string> nameWords(std::string_view name) {
    std::vector<std::string> words;
    unsigned char previous = ' ';
    for (const char c : name) {
        const auto u = static_cast<unsigned char>(c);
        const bool isLetter = std::isalpha(u) != 0 || u >= 0x80;
        const bool isDigit = std::isdigit(u) != 0;
        const bool wasLetter = std::isalpha(previous) != 0 || previous >= 0x80;
        const bool begins = isLetter ? !wasLetter || (std::isupper(u) && std::islower(previous))
                                     : isDigit && std::isdigit(previous) == 0;
        if (begins)
            words.emplace_back();
        if (isLetter || isDigit)
            words.back().push_back(static_cast<char>(std::tolower(u)));
        previous = u;
    }
    return words;
}

bool isNumber(std::string_view word) {
    return !word.empty() && std::isdigit(static_cast<unsigned char>(word.front())) != 0;
}

} // namespace cask::layers
