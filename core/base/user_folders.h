// Where the user's own files live.
#pragma once

#include <filesystem>

namespace cask {

/// "ember-cask" in the user's configuration folder ($XDG_CONFIG_HOME, else ~/.config); empty when there is
/// neither.
[[nodiscard]] std::filesystem::path configFolder();

} // namespace cask
