// A session on the disk: a folder Name.cask/ in which nothing that was saved is ever lost.
#pragma once

#include <chrono>
#include <core/base/file_identity.h>
#include <core/base/file_system.h>
#include <core/base/folder_lock.h>
#include <core/session/session.h>
#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace cask::session {

/// What was edited after the last save and not saved, when a program ended without closing.
struct UnsavedWork {
    std::string file; ///< in the session's folder
    Session session;
};

struct OpenedSession {
    Session session;
    std::vector<UnsavedWork> unsaved; ///< newest first
    /// One sentence each: modules that are kept but not understood, unsaved work that can't be read.
    std::vector<std::string> notes;
};

/// Files: session.json; autosave.json (while there is unsaved work); unsaved/NNNNNN.json (unsaved work of
/// another program that nobody has taken or refused yet); versions/NNNNNN.json (earlier saves, the last
/// kKeptVersions; NNNNNN-unsaved.json: unsaved work that was taken or refused); audio/, cache/, delivery/.
/// Not thread-safe. Who writes holds lock().
class SessionStore {
  public:
    static constexpr int kKeptVersions = 20;

    SessionStore(FileSystem& files, std::filesystem::path folder);

    /// The right to write, for as long as the object lives; makes the folder. ErrorCode::InUse when another
    /// program has it for longer than `patience`.
    [[nodiscard]] Result<std::unique_ptr<FolderLock>>
    lock(std::chrono::milliseconds patience = std::chrono::milliseconds(0)) const;

    /// Keeps the old file as a version, then replaces it in one step. This store's own autosave is dropped
    /// after that; another program's is set aside. ErrorCode::ChangedOnDisk, and nothing is written, when
    /// session.json is no longer what this store last read or wrote, unless `overNewer`.
    [[nodiscard]] Status save(const Session& session, bool overNewer = false);
    [[nodiscard]] Status autosave(const Session& session);
    /// Forgets this store's unsaved work: closing without saving was chosen, or all was undone.
    [[nodiscard]] Status dropAutosave();
    /// This store's unsaved work was refused by a person: it is kept once more among the versions.
    [[nodiscard]] Status refuseAutosave();
    /// Unsaved work was taken or refused: it is kept once more among the versions and offered no longer.
    [[nodiscard]] Status settle(const UnsavedWork& work);

    /// What can't be read whole is an error: nothing else is opened in its place. The sentence names the
    /// newest version that can be read.
    [[nodiscard]] Result<OpenedSession> open();
    /// An earlier state, chosen by a person; the unsaved work of open() is there too.
    [[nodiscard]] Result<OpenedSession> openVersion(const std::string& name);
    /// Names of the earlier states in versions/, newest first.
    [[nodiscard]] std::vector<std::string> versions() const;
    [[nodiscard]] std::optional<std::string> newestReadableVersion() const;
    /// Whether session.json is another one than this store last read or wrote.
    [[nodiscard]] bool hasChangedOnDisk() const;

    [[nodiscard]] const std::filesystem::path& folder() const { return m_folder; }
    [[nodiscard]] std::filesystem::path sessionFile() const { return m_folder / "session.json"; }
    [[nodiscard]] std::filesystem::path autosaveFile() const { return m_folder / "autosave.json"; }
    [[nodiscard]] std::filesystem::path audioFolder() const { return m_folder / "audio"; }
    [[nodiscard]] std::filesystem::path cacheFolder() const { return m_folder / "cache"; }
    [[nodiscard]] std::filesystem::path versionsFolder() const { return m_folder / "versions"; }
    [[nodiscard]] std::filesystem::path unsavedFolder() const { return m_folder / "unsaved"; }
    [[nodiscard]] std::filesystem::path deliveryFolder() const { return m_folder / "delivery"; }

  private:
    [[nodiscard]] Status keepVersion();
    [[nodiscard]] Status setForeignAutosaveAside();
    void findUnsaved(OpenedSession& opened) const;
    [[nodiscard]] std::filesystem::path nextIn(const std::filesystem::path& folder,
                                               const std::string& ending) const;

    FileSystem& m_files;
    std::filesystem::path m_folder;
    bool m_ownsAutosave = false; // this store wrote the autosave that is there
    std::string m_setAside;      // where another program's autosave went
    std::string m_knownHash;     // of session.json as last read or written; empty: never
};

/// Where a file of the session lies.
[[nodiscard]] std::filesystem::path resolvePath(const SourceFile& file,
                                                const std::filesystem::path& sessionFolder);

/// How a file is written down: relative where it lies in the session's folder, so that the folder can be
/// moved.
[[nodiscard]] std::string storedPath(const std::filesystem::path& file,
                                     const std::filesystem::path& sessionFolder);

/// The files of a session, which nothing may be written over.
[[nodiscard]] ProtectedFiles sourcesOf(const Session& session, const std::filesystem::path& sessionFolder);

} // namespace cask::session
