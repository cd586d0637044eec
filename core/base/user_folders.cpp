#include "core/base/user_folders.h"

#include <cstdlib>

namespace cask {

std::filesystem::path configFolder() {
    namespace fs = std::filesystem;
    const char* config = std::getenv("XDG_CONFIG_HOME"); // NOLINT(concurrency-mt-unsafe): never set here
    const char* home = std::getenv("HOME");              // NOLINT(concurrency-mt-unsafe)
    const fs::path base = config != nullptr && *config != '\0' ? fs::path(config)
                          : home != nullptr                    ? fs::path(home) / ".config"
                                                               : fs::path();
    return base.empty() ? base : base / "ember-cask";
}

} // namespace cask
