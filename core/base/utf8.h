// Text that must be UTF-8, made of bytes that need not be: names of files may hold anything.
#pragma once

#include <cstddef>
#include <string>
#include <string_view>

namespace cask {

/// Length of the well-formed UTF-8 sequence at the start of `text` (RFC 3629), 0 when there is none.
[[nodiscard]] constexpr std::size_t utf8Length(std::string_view text) {
    const auto at = [&](std::size_t i) { return static_cast<unsigned char>(text[i]); };
    if (text.empty())
        return 0;
    const unsigned char first = at(0);
    if (first < 0x80)
        return 1;
    const std::size_t length = first >= 0xC2 && first <= 0xDF   ? 2
                               : first >= 0xE0 && first <= 0xEF ? 3
                               : first >= 0xF0 && first <= 0xF4 ? 4
                                                                : 0;
    if (length == 0 || text.size() < length)
        return 0;
    // Overlong forms, surrogates and what lies behind the last character.
    const unsigned char least = first == 0xE0 ? 0xA0 : first == 0xF0 ? 0x90 : 0x80;
    const unsigned char most = first == 0xED ? 0x9F : first == 0xF4 ? 0x8F : 0xBF;
    if (at(1) < least || at(1) > most)
        return 0;
    for (std::size_t i = 2; i < length; ++i)
        if ((at(i) & 0xC0U) != 0x80U)
            return 0;
    return length;
}

[[nodiscard]] inline bool isUtf8(std::string_view text) {
    while (!text.empty()) {
        const std::size_t n = utf8Length(text);
        if (n == 0)
            return false;
        text.remove_prefix(n);
    }
    return true;
}

/// Bytes that are no UTF-8 become the replacement character.
[[nodiscard]] inline std::string toUtf8(std::string_view bytes) {
    std::string text;
    while (!bytes.empty()) {
        const std::size_t n = utf8Length(bytes);
        text += n > 0 ? std::string(bytes.substr(0, n)) : std::string("\xEF\xBF\xBD");
        bytes.remove_prefix(n > 0 ? n : 1);
    }
    return text;
}

} // namespace cask
