#include "app/document/recovery.h"

#include "app/document/document.h"

#include <algorithm>

namespace cask::app {

std::vector<std::filesystem::path> findAbandonedSessions() {
    namespace fs = std::filesystem;
    std::vector<fs::path> found;
    std::error_code error;
    for (fs::directory_iterator it(untitledFolder(), error), end; !error && it != end; it.increment(error)) {
        std::error_code ignored;
        if (fs::exists(it->path() / "autosave.json", ignored))
            found.push_back(it->path());
    }
    std::sort(found.rbegin(), found.rend());
    return found;
}

} // namespace cask::app
