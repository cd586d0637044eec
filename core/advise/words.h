// Small words that sentences share.
#pragma once

#include <fmt/format.h>

#include <cmath>
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

/// "a, b and c".
[[nodiscard]] inline std::string listed(const std::vector<std::string>& words) {
    std::string text;
    for (std::size_t i = 0; i < words.size(); ++i)
        text += (i == 0 ? "" : i + 1 == words.size() ? " and " : ", ") + words[i];
    return text;
}

} // namespace cask::advise
