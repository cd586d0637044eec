#include "core/base/folder_lock.h"

#include "core/base/system_error.h"

#include <fmt/format.h>

#include <array>
#include <cerrno>
#include <fcntl.h>
#include <sys/file.h>
#include <sys/vfs.h>
#include <thread>
#include <unistd.h>

namespace cask {
namespace {

namespace fs = std::filesystem;

std::string holderOf(int fd) {
    std::array<char, 128> text{};
    const ssize_t got = ::pread(fd, text.data(), text.size() - 1, 0);
    std::string holder(text.data(), got > 0 ? static_cast<std::size_t>(got) : 0);
    while (!holder.empty() && holder.back() == '\n')
        holder.pop_back();
    return holder;
}

void writeHolder(int fd) {
    std::array<char, 65> host{};
    ::gethostname(host.data(), host.size() - 1);
    const std::string holder = fmt::format("process {} on {}\n", ::getpid(), host.data());
    // Only for the other one's sentence: the lock itself does not need it.
    if (::ftruncate(fd, 0) == 0)
        (void)!::pwrite(fd, holder.data(), holder.size(), 0);
}

} // namespace

bool isOnNetwork(const fs::path& folder) {
    struct statfs info {};
    if (::statfs(folder.c_str(), &info) != 0)
        return false;
    // Magic numbers of statfs(2): NFS, SMB, CIFS, SMB2, 9P, AFS, Ceph.
    constexpr std::array<unsigned long, 7> kNetworks = {0x6969,     0x517B,     0xFF534D42, 0xFE534D42,
                                                        0x01021997, 0x5346414F, 0x00C36400};
    for (const unsigned long magic : kNetworks)
        if (static_cast<unsigned long>(info.f_type) == magic)
            return true;
    return false;
}

Result<std::unique_ptr<FolderLock>> FolderLock::take(const fs::path& folder,
                                                     std::chrono::milliseconds patience) {
    const fs::path path = folder / ".lock";
    const int fd = ::open(path.c_str(), O_RDWR | O_CREAT | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC, 0644);
    if (fd < 0)
        return systemError(folder, "can't be written", errno);
    std::unique_ptr<FolderLock> lock(new FolderLock(fd));
    const auto deadline = std::chrono::steady_clock::now() + patience;
    while (::flock(fd, LOCK_EX | LOCK_NB) != 0) {
        if (errno == EINTR)
            continue;
        if (errno != EWOULDBLOCK) { // a file system without locks
            lock->m_caution = folder.string() + " is on a disk without locks: nothing keeps a second program "
                                                "from changing the session at the same time.";
            return lock;
        }
        if (std::chrono::steady_clock::now() >= deadline) {
            const std::string holder = holderOf(fd);
            return Error{ErrorCode::InUse,
                         fmt::format("{} is in use by another Ember Cask{}.", folder.string(),
                                     holder.empty() ? "" : " (" + holder + ")")};
        }
        std::this_thread::sleep_for(std::chrono::milliseconds(10));
    }
    writeHolder(fd);
    if (isOnNetwork(folder))
        lock->m_caution = folder.string() + " is on a network folder: a program on another computer may not "
                                            "see that it is open here.";
    return lock;
}

FolderLock::~FolderLock() {
    ::close(m_fd); // the lock goes with it; the file stays, or two writers could hold two different ones
}

} // namespace cask
