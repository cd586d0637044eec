// Words in names that tell drums of one role apart.
#pragma once

#include <set>
#include <string>
#include <vector>

namespace cask::layers {

/// What of "high", "open", "china", "rimshot" and the like some words say (see nameWords()), one word for
/// each whatever people write for it.
[[nodiscard]] std::set<std::string> drumMarks(const std::vector<std::string>& words);
/// Instruments that share the role of percussion.
[[nodiscard]] std::set<std::string> instrumentMarks(const std::vector<std::string>& words);

} // namespace cask::layers
