// Words and numbers of a file's name.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace cask::layers {

/// In lower case: letters and digits part, a capital behind a small letter begins a word ("SnareTop_v3" is
/// snare, top, v, 3).
[[nodiscard]] std::vector<std::string> nameWords(std::string_view name);
[[nodiscard]] bool isNumber(std::string_view word);

} // namespace cask::layers
