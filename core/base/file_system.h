// The few file operations that must never lose anything, behind an interface so that tests can make them
// fail.
#pragma once

#include <core/base/result.h>
#include <filesystem>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

namespace cask {

/// Thread-safe as far as two calls do not name the same file.
class FileSystem {
  public:
    FileSystem() = default;
    FileSystem(const FileSystem&) = delete;
    FileSystem& operator=(const FileSystem&) = delete;
    virtual ~FileSystem() = default;

    [[nodiscard]] virtual Result<std::string> read(const std::filesystem::path& path) = 0;
    /// Writes a new file and forces it to the disk. The old content of `path`, if any, is gone when this
    /// fails.
    [[nodiscard]] virtual Status writeSynced(const std::filesystem::path& path, std::string_view bytes) = 0;
    /// Renames over an existing file in one step and forces the folder to the disk.
    [[nodiscard]] virtual Status replace(const std::filesystem::path& from,
                                         const std::filesystem::path& to) = 0;
    [[nodiscard]] virtual Status copy(const std::filesystem::path& from, const std::filesystem::path& to) = 0;
    [[nodiscard]] virtual Status remove(const std::filesystem::path& path) = 0;
    [[nodiscard]] virtual Status makeFolder(const std::filesystem::path& path) = 0;
    [[nodiscard]] virtual bool exists(const std::filesystem::path& path) = 0;
    /// Names (not paths) of the files in a folder, sorted; empty when there is no such folder.
    [[nodiscard]] virtual std::vector<std::string> list(const std::filesystem::path& folder) = 0;
};

/// The disk.
[[nodiscard]] FileSystem& diskFileSystem();

/// Writes `path` so that at every moment either the old or the new content is there in full:
/// temporary file beside it, forced to the disk, renamed over it.
[[nodiscard]] Status writeAtomically(FileSystem& files, const std::filesystem::path& path,
                                     std::string_view bytes);

} // namespace cask
