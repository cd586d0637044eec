#include "app/document/recovery.h"

#include "app/document/document.h"

#include <algorithm>

namespace cask::app {
namespace {

namespace fs = std::filesystem;
constexpr std::size_t kKeptRefused = 20;

bool hasUnsavedWork(const fs::path& folder) {
    auto& files = diskFileSystem();
    const session::SessionStore store(files, folder);
    return files.exists(store.autosaveFile()) || !files.list(store.unsavedFolder()).empty();
}

/// Newest first: their names begin with the time.
std::vector<fs::path> untitledSessions() {
    std::vector<fs::path> found;
    std::error_code error;
    for (fs::directory_iterator it(untitledFolder(), error), end; !error && it != end; it.increment(error))
        found.push_back(it->path());
    std::sort(found.rbegin(), found.rend());
    return found;
}

} // namespace

std::vector<fs::path> findAbandonedSessions() {
    auto found = untitledSessions();
    std::erase_if(found, [](const fs::path& folder) {
        return !hasUnsavedWork(folder) || !FolderLock::take(folder); // held: its window is open
    });
    return found;
}

bool refuseAbandoned(const fs::path& folder) {
    session::SessionStore store(diskFileSystem(), folder);
    const auto lock = store.lock();
    if (!lock)
        return false;
    if (const auto opened = store.open())
        for (const auto& work : opened->unsaved)
            (void)store.settle(work);
    trimUntitled();
    return true;
}

void trimUntitled() {
    std::size_t kept = 0;
    for (const auto& folder : untitledSessions()) {
        const bool isRefused = !hasUnsavedWork(folder);
        if (!isRefused || ++kept <= kKeptRefused)
            continue;
        if (const auto lock = FolderLock::take(folder)) {
            std::error_code ignored;
            fs::remove_all(folder, ignored);
        }
    }
}

} // namespace cask::app
