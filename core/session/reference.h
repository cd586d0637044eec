// What the descriptions of the parameters say, as documents: docs/formats is written from here.
#pragma once

#include <string>

namespace cask::session {

/// JSON Schema (as text) of a module in a chain: one of the kinds, or one that is not known here.
[[nodiscard]] std::string moduleSchema();
/// Every parameter with its path, range, standard value and what it does: a page in Markdown.
[[nodiscard]] std::string parameterPage();

} // namespace cask::session
