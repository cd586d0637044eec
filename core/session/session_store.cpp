#include "core/session/session_store.h"

#include "core/session/session_json.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>

namespace cask::session {

SessionStore::SessionStore(FileSystem& files, std::filesystem::path folder)
    : m_files(files), m_folder(std::move(folder)) {}

Status SessionStore::keepVersion() {
    const auto text = m_files.read(sessionFile());
    // A damaged file is kept as well: it may be all that someone has.
    if (!text)
        return Done{};
    if (auto made = m_files.makeFolder(versionsFolder()); !made)
        return made;
    const auto names = m_files.list(versionsFolder());
    int last = 0;
    for (const auto& name : names)
        last = std::max(last, std::atoi(name.c_str()));
    const auto version = versionsFolder() / fmt::format("{:06d}.json", last + 1);
    if (auto written = writeAtomically(m_files, version, *text); !written)
        return written;
    for (std::size_t i = 0; i + static_cast<std::size_t>(kKeptVersions) < names.size() + 1; ++i)
        (void)m_files.remove(versionsFolder() / names[i]);
    return Done{};
}

Status SessionStore::save(const Session& session) {
    if (auto made = m_files.makeFolder(m_folder); !made)
        return made;
    if (auto kept = keepVersion(); !kept)
        return kept;
    if (auto written = writeAtomically(m_files, sessionFile(), toJson(session)); !written)
        return written;
    return dropAutosave();
}

Status SessionStore::autosave(const Session& session) {
    if (auto made = m_files.makeFolder(m_folder); !made)
        return made;
    return writeAtomically(m_files, autosaveFile(), toJson(session));
}

Status SessionStore::dropAutosave() {
    return m_files.exists(autosaveFile()) ? m_files.remove(autosaveFile()) : Status(Done{});
}

Result<OpenedSession> SessionStore::open() const {
    OpenedSession opened;
    const auto readOne = [&](const std::filesystem::path& path) -> Result<Session> {
        const auto text = m_files.read(path);
        if (!text)
            return text.error();
        return fromJson(*text, path.string());
    };
    auto saved = readOne(sessionFile());
    auto unsaved = m_files.exists(autosaveFile()) ? std::optional(readOne(autosaveFile())) : std::nullopt;
    if (unsaved && !*unsaved)
        opened.notes.push_back(unsaved->error().message);
    if (saved) {
        opened.session = std::move(*saved);
        if (unsaved && *unsaved && !(**unsaved == opened.session))
            opened.unsaved = std::move(**unsaved);
        return opened;
    }
    if (saved.error().code == ErrorCode::NewerVersion)
        return saved.error();
    if (saved.error().code != ErrorCode::NotFound)
        opened.notes.push_back(saved.error().message);
    if (unsaved && *unsaved) {
        opened.session = **unsaved;
        opened.unsaved = std::move(**unsaved);
        return opened;
    }
    auto names = m_files.list(versionsFolder());
    for (auto it = names.rbegin(); it != names.rend(); ++it) {
        if (auto version = readOne(versionsFolder() / *it)) {
            opened.notes.push_back("The version saved before it, " + *it + ", was opened instead.");
            opened.session = std::move(*version);
            return opened;
        }
    }
    if (saved.error().code == ErrorCode::NotFound)
        return Error{ErrorCode::NotFound, m_folder.string() + " holds no session."};
    return saved.error();
}

std::filesystem::path resolvePath(const SourceFile& file, const std::filesystem::path& sessionFolder) {
    const std::filesystem::path path(file.path);
    return path.is_absolute() ? path : sessionFolder / path;
}

} // namespace cask::session
