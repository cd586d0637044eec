// Modules that are kept although this program can't make sense of them.
#pragma once

#include <core/session/session.h>
#include <string>
#include <vector>

namespace cask::session {

/// One sentence for each: whose it is, of what type, why it is not understood.
[[nodiscard]] std::vector<std::string> unknownModuleSentences(const Session& session);

} // namespace cask::session
