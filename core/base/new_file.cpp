#include "core/base/new_file.h"

#include "core/base/system_error.h"

#include <fmt/format.h>

#include <atomic>
#include <cerrno>
#include <cstdio>
#include <fcntl.h>
#include <random>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

namespace cask {
namespace {

namespace fs = std::filesystem;

constexpr std::string_view kPartStart = ".ember-cask-";
constexpr std::string_view kPartEnd = ".part";
constexpr int kAttempts = 16;

fs::path folderOf(const fs::path& path) {
    return path.has_parent_path() ? path.parent_path() : fs::path(".");
}

/// Short whatever the file will be called: a name may already be as long as the disk allows.
std::string partName() {
    static std::atomic<unsigned> counter{0};
    static const unsigned start = std::random_device{}();
    return fmt::format("{}{}-{:08x}{}", kPartStart, ::getpid(), start + counter++, kPartEnd);
}

/// The lock that says that the writer lives. False when someone else was faster and takes it for abandoned.
bool isOurs(int fd, const fs::path& path) {
    struct stat opened {};
    struct stat named {};
    // A file system without locks is no reason not to write.
    if (::flock(fd, LOCK_EX | LOCK_NB) != 0 && errno == EWOULDBLOCK)
        return false;
    return ::fstat(fd, &opened) == 0 && ::lstat(path.c_str(), &named) == 0 && opened.st_ino == named.st_ino &&
           opened.st_dev == named.st_dev;
}

} // namespace

Status mayWrite(const fs::path& path, const WriteRules& rules) {
    if (rules.sources != nullptr && rules.sources->holds(path))
        return Error{ErrorCode::IsSource,
                     path.string() + " is a source of this session; it was left as it is."};
    struct stat info {};
    if (::lstat(path.c_str(), &info) != 0) {
        if (errno == ENOENT)
            return Done{};
        return systemError(path, "can't be written", errno);
    }
    if (S_ISLNK(info.st_mode))
        return Error{ErrorCode::NotWritable,
                     path.string() + " is a link to another file; it was left as it is."};
    if (!S_ISREG(info.st_mode))
        return Error{ErrorCode::NotWritable, path.string() + " is not a file; it was left as it is."};
    if (rules.ifExists == IfExists::Refuse)
        return Error{ErrorCode::Exists, path.string() + " is there already; it was left as it is."};
    return Done{};
}

Status syncFolder(const fs::path& folder) {
    const int fd = ::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    if (fd < 0)
        return systemError(folder, "can't be written", errno);
    const int number = ::fsync(fd) != 0 && errno != EINVAL ? errno : 0;
    ::close(fd);
    if (number != 0)
        return systemError(folder, "can't be written", number);
    return Done{};
}

Status moveIntoPlace(const fs::path& from, const fs::path& to, const WriteRules& rules) {
    if (auto allowed = mayWrite(to, rules); !allowed)
        return allowed;
    int failed = 0;
    if (rules.ifExists == IfExists::Refuse) {
        // In one step, so that a file that appears in between is not lost either.
        failed = ::renameat2(AT_FDCWD, from.c_str(), AT_FDCWD, to.c_str(), RENAME_NOREPLACE) != 0 ? errno : 0;
        if (failed == EEXIST)
            return mayWrite(to, rules);
        if (failed == EINVAL || failed == ENOSYS) // not every file system can do that
            failed = ::rename(from.c_str(), to.c_str()) != 0 ? errno : 0;
    } else {
        failed = ::rename(from.c_str(), to.c_str()) != 0 ? errno : 0;
    }
    if (failed != 0)
        return systemError(to, "can't be written", failed);
    return syncFolder(folderOf(to));
}

Result<NewFile> NewFile::create(const fs::path& path, const WriteRules& rules) {
    if (auto allowed = mayWrite(path, rules); !allowed)
        return allowed.error();
    for (int attempt = 0; attempt < kAttempts; ++attempt) {
        NewFile file;
        file.m_path = path;
        file.m_rules = rules;
        const fs::path temporary = folderOf(path) / partName();
        file.m_fd = ::open(temporary.c_str(), O_RDWR | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0644);
        if (file.m_fd < 0 && errno == EEXIST)
            continue;
        if (file.m_fd < 0)
            return systemError(path, "can't be written", errno);
        if (!isOurs(file.m_fd, temporary))
            continue;
        file.m_temporary = temporary;
        return file;
    }
    return Error{ErrorCode::NotWritable,
                 path.string() + " can't be written: no free name was found beside it."};
}

NewFile::NewFile(NewFile&& other) noexcept
    : m_path(std::move(other.m_path)), m_temporary(std::move(other.m_temporary)), m_rules(other.m_rules),
      m_fd(std::exchange(other.m_fd, -1)) {
    other.m_temporary.clear();
}

NewFile::~NewFile() {
    if (!m_temporary.empty())
        ::unlink(m_temporary.c_str());
    if (m_fd >= 0)
        ::close(m_fd);
}

Status NewFile::write(std::string_view bytes) {
    while (!bytes.empty()) {
        const ssize_t n = ::write(m_fd, bytes.data(), bytes.size());
        if (n < 0 && errno == EINTR)
            continue;
        if (n < 0)
            return systemError(m_path, "can't be written", errno);
        bytes.remove_prefix(static_cast<std::size_t>(n));
    }
    return Done{};
}

Status NewFile::commit() {
    if (::fsync(m_fd) != 0 && errno != EINVAL)
        return systemError(m_path, "can't be written", errno);
    auto moved = moveIntoPlace(m_temporary, m_path, m_rules);
    if (moved)
        m_temporary.clear();
    // A disk may tell of a failed write only here.
    const bool closed = ::close(std::exchange(m_fd, -1)) == 0;
    const int number = errno;
    if (moved && !closed)
        return systemError(m_path, "can't be written", number);
    return moved;
}

Result<StagingFolder> StagingFolder::create(const fs::path& inside) {
    for (int attempt = 0; attempt < kAttempts; ++attempt) {
        StagingFolder staging;
        const fs::path path = inside / partName();
        if (::mkdir(path.c_str(), 0755) != 0) {
            if (errno == EEXIST)
                continue;
            return systemError(inside, "can't be written", errno);
        }
        staging.m_fd = ::open(path.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
        if (staging.m_fd < 0)
            return systemError(path, "can't be opened", errno);
        if (!isOurs(staging.m_fd, path))
            continue;
        staging.m_path = path;
        return staging;
    }
    return Error{ErrorCode::NotWritable,
                 inside.string() + " can't be written: no free name was found in it."};
}

StagingFolder::StagingFolder(StagingFolder&& other) noexcept
    : m_path(std::move(other.m_path)), m_fd(std::exchange(other.m_fd, -1)) {
    other.m_path.clear();
}

StagingFolder::~StagingFolder() {
    std::error_code ignored;
    if (!m_path.empty())
        fs::remove_all(m_path, ignored);
    if (m_fd >= 0)
        ::close(m_fd);
}

void removeStaleParts(const fs::path& folder) {
    std::error_code error;
    std::vector<fs::path> parts;
    for (fs::directory_iterator it(folder, error), end; !error && it != end; it.increment(error)) {
        const std::string name = it->path().filename().string();
        if (name.starts_with(kPartStart) && name.ends_with(kPartEnd))
            parts.push_back(it->path());
    }
    for (const auto& part : parts) {
        const int fd = ::open(part.c_str(), O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC);
        if (fd < 0)
            continue;
        if (::flock(fd, LOCK_EX | LOCK_NB) == 0) {
            std::error_code ignored;
            fs::remove_all(part, ignored);
        }
        ::close(fd);
    }
}

} // namespace cask
