// Small words that sentences share.
#pragma once

#include <fmt/format.h>

#include <cmath>
#include <core/measure/tone/partials.h>
#include <string>
#include <string_view>
#include <vector>

namespace cask::advise {

/// "1:02.3": minutes and seconds.
[[nodiscard]] inline std::string clockText(double seconds) {
    const auto tenths = std::llround(10 * std::max(0.0, seconds));
    return fmt::format("{}:{:02}.{}", tenths / 600, tenths / 10 % 60, tenths % 10);
}

/// "1 place", "3 places".
[[nodiscard]] inline std::string counted(long long count, std::string_view one, std::string_view many) {
    return fmt::format("{} {}", count, count == 1 ? one : many);
}

/// Decimals that tell two values apart: none where whole numbers do.
[[nodiscard]] inline int decimalsOf(double a, double b) {
    return std::llround(a) == std::llround(b) ? 1 : 0;
}

/// "a, b and c".
[[nodiscard]] inline std::string listed(const std::vector<std::string>& words) {
    std::string text;
    for (std::size_t i = 0; i < words.size(); ++i)
        text += (i == 0 ? "" : i + 1 == words.size() ? " and " : ", ") + words[i];
    return text;
}

/// "F#3", "F#3 +29 cents".
[[nodiscard]] inline std::string noteText(double hz) {
    const auto note = measure::nearestNote(hz);
    return std::abs(note.cents) < 5 ? note.name : fmt::format("{} {:+.0f} cents", note.name, note.cents);
}

} // namespace cask::advise
