// A session on the disk: a folder Name.cask/ in which nothing that was saved is ever lost.
#pragma once

#include <core/base/file_system.h>
#include <core/session/session.h>
#include <filesystem>
#include <optional>
#include <string>

namespace cask::session {

struct OpenedSession {
    Session session;
    /// What was edited after the last save and not saved, when the program ended without closing.
    std::optional<Session> unsaved;
    /// One sentence each: a damaged file that was passed over, a version that was taken instead.
    std::vector<std::string> notes;
};

/// Files: session.json; autosave.json (newer than it while there is unsaved work); versions/NNNNNN.json
/// (earlier saves, the last kKeptVersions); audio/, cache/, delivery/. Not thread-safe.
class SessionStore {
  public:
    static constexpr int kKeptVersions = 20;

    SessionStore(FileSystem& files, std::filesystem::path folder);

    /// Keeps the old file as a version, then replaces it in one step. The autosave is dropped only after
    /// that.
    [[nodiscard]] Status save(const Session& session);
    [[nodiscard]] Status autosave(const Session& session);
    /// Forgets unsaved work: closing without saving was chosen.
    [[nodiscard]] Status dropAutosave();
    /// Falls back to the newest version that can be read when session.json is damaged.
    [[nodiscard]] Result<OpenedSession> open() const;

    [[nodiscard]] const std::filesystem::path& folder() const { return m_folder; }
    [[nodiscard]] std::filesystem::path sessionFile() const { return m_folder / "session.json"; }
    [[nodiscard]] std::filesystem::path autosaveFile() const { return m_folder / "autosave.json"; }
    [[nodiscard]] std::filesystem::path audioFolder() const { return m_folder / "audio"; }
    [[nodiscard]] std::filesystem::path cacheFolder() const { return m_folder / "cache"; }
    [[nodiscard]] std::filesystem::path versionsFolder() const { return m_folder / "versions"; }
    [[nodiscard]] std::filesystem::path deliveryFolder() const { return m_folder / "delivery"; }

  private:
    [[nodiscard]] Status keepVersion();

    FileSystem& m_files;
    std::filesystem::path m_folder;
};

/// Where a file of the session lies.
[[nodiscard]] std::filesystem::path resolvePath(const SourceFile& file,
                                                const std::filesystem::path& sessionFolder);

} // namespace cask::session
