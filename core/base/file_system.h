// The few file operations that must never lose anything, behind an interface so that tests can make them
// fail.
#pragma once

#include <core/base/result.h>
#include <cstdint>
#include <filesystem>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

namespace cask {

/// Thread-safe as far as two calls do not name the same file.
class FileSystem {
  public:
    /// Longest file that read() takes, bytes: what the program itself writes is far shorter.
    static constexpr std::uintmax_t kMostReadBytes = std::uintmax_t{1} << 30U;

    FileSystem() = default;
    FileSystem(const FileSystem&) = delete;
    FileSystem& operator=(const FileSystem&) = delete;
    virtual ~FileSystem() = default;

    [[nodiscard]] virtual Result<std::string> read(const std::filesystem::path& path) = 0;
    /// At every moment either the old or the new content is there in full, also after a power cut. Never
    /// writes through a link.
    [[nodiscard]] virtual Status writeAtomically(const std::filesystem::path& path,
                                                 std::string_view bytes) = 0;
    /// Another name on the same disk, forced to it; an existing file there is an error.
    [[nodiscard]] virtual Status move(const std::filesystem::path& from, const std::filesystem::path& to) = 0;
    /// An existing file at `to` is an error.
    [[nodiscard]] virtual Status copy(const std::filesystem::path& from, const std::filesystem::path& to) = 0;
    [[nodiscard]] virtual Status remove(const std::filesystem::path& path) = 0;
    [[nodiscard]] virtual Status makeFolder(const std::filesystem::path& path) = 0;
    /// True also for what is there and can't be looked at: only what is surely missing does not exist.
    [[nodiscard]] virtual bool exists(const std::filesystem::path& path) = 0;
    /// Names (not paths) of the files in a folder, sorted; empty when there is no such folder.
    [[nodiscard]] virtual std::vector<std::string> list(const std::filesystem::path& folder) = 0;
};

/// The disk.
[[nodiscard]] FileSystem& diskFileSystem();

/// An error when a folder's disk has less room than is going to be written there.
[[nodiscard]] Status checkRoom(const std::filesystem::path& folder, std::uintmax_t bytes);

} // namespace cask
