// One writer per folder, across processes.
#pragma once

#include <chrono>
#include <core/base/result.h>
#include <filesystem>
#include <memory>
#include <string>

namespace cask {

/// Holds a folder until it is destroyed or the process ends, however it ends: a lock of a dead process is no
/// lock (flock on the file ".lock" in it, which stays there). Two locks in one process exclude each other
/// too.
class FolderLock {
  public:
    /// Tries for up to `patience`. ErrorCode::InUse, with a sentence that names the holder, when somebody
    /// else has it; NotWritable when the folder can't hold a lock.
    [[nodiscard]] static Result<std::unique_ptr<FolderLock>>
    take(const std::filesystem::path& folder,
         std::chrono::milliseconds patience = std::chrono::milliseconds(0));
    FolderLock(const FolderLock&) = delete;
    FolderLock& operator=(const FolderLock&) = delete;
    ~FolderLock();

    /// A sentence when other computers may not see this lock (a network folder); empty otherwise.
    [[nodiscard]] const std::string& caution() const { return m_caution; }

  private:
    explicit FolderLock(int fd) : m_fd(fd) {}
    int m_fd;
    std::string m_caution;
};

/// True for folders that lie on another computer, as far as the system says so.
[[nodiscard]] bool isOnNetwork(const std::filesystem::path& folder);

} // namespace cask
