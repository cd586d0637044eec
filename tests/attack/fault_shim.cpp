// Loaded before the program (LD_PRELOAD), it sees each call that changes the disk. It can kill the program at
// the n-th of them, refuse it and all that follow, or write down all of them so that a disk which forgets
// what was not synced can be played through.
//
// CASK_FAULT_ROOT     calls on paths below this folder count; others pass
// CASK_FAULT_KILL_AT  number (from 1) of the call before which the process is killed
// CASK_FAULT_FAIL_AT  number of the call from which on all are refused but deletions, with the number in
// CASK_FAULT_ERRNO    (a disk that is full stays full)
// CASK_FAULT_LOG      folder for the record: "log" has a line per call, "data-N" what the N-th one wrote
#include <atomic>
#include <cerrno>
#include <csignal>
#include <cstdarg>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <dlfcn.h>
#include <fcntl.h>
#include <mutex>
#include <string>
#include <sys/stat.h>
#include <unistd.h>

namespace {

template <class F> F next(const char* name) {
    return reinterpret_cast<F>(::dlsym(RTLD_NEXT, name));
}

std::string absolutePath(const char* path) {
    if (path[0] == '/')
        return path;
    char folder[4096];
    return ::getcwd(folder, sizeof folder) != nullptr ? std::string(folder) + "/" + path : path;
}

std::string pathOf(int fd) {
    char target[4096];
    const std::string link = "/proc/self/fd/" + std::to_string(fd);
    const ssize_t n = ::readlink(link.c_str(), target, sizeof target);
    return n > 0 ? std::string(target, static_cast<std::size_t>(n)) : std::string();
}

class Recorder {
  public:
    static Recorder& get() {
        static Recorder recorder;
        return recorder;
    }
    /// Counts a call; kills when it is its turn. False: it is refused, errno says why.
    [[nodiscard]] bool call(const char* what, const std::string& path, const std::string& other = {},
                            const void* data = nullptr, std::size_t bytes = 0, long long offset = 0) {
        if (m_root.empty() || (path.compare(0, m_root.size(), m_root) != 0))
            return true;
        const std::lock_guard lock(m_mutex);
        const int number = ++m_count;
        if (number == m_killAt) {
            ::raise(SIGKILL);
            ::pause();
        }
        if (m_failAt > 0 && number >= m_failAt && std::strcmp(what, "unlink") != 0) {
            errno = m_errno;
            return false;
        }
        if (m_log.empty())
            return true;
        if (data != nullptr)
            put(m_log + "/data-" + std::to_string(number), data, bytes, O_TRUNC);
        const std::string line = std::to_string(number) + "\t" + what + "\t" + path + "\t" + other + "\t" +
                                 std::to_string(offset) + "\t" + std::to_string(bytes) + "\n";
        put(m_log + "/log", line.data(), line.size(), O_APPEND);
        return true;
    }

  private:
    Recorder() {
        if (const char* root = std::getenv("CASK_FAULT_ROOT"))
            m_root = root;
        if (const char* at = std::getenv("CASK_FAULT_KILL_AT"))
            m_killAt = std::atoi(at);
        if (const char* at = std::getenv("CASK_FAULT_FAIL_AT"))
            m_failAt = std::atoi(at);
        if (const char* number = std::getenv("CASK_FAULT_ERRNO"))
            m_errno = std::atoi(number);
        if (const char* log = std::getenv("CASK_FAULT_LOG"))
            m_log = log;
    }
    static void put(const std::string& path, const void* data, std::size_t bytes, int how) {
        static const auto realOpen = next<int (*)(const char*, int, ...)>("open");
        static const auto realWrite = next<ssize_t (*)(int, const void*, size_t)>("write");
        const int fd = realOpen(path.c_str(), O_WRONLY | O_CREAT | how, 0644);
        if (fd >= 0) {
            (void)!realWrite(fd, data, bytes);
            ::close(fd);
        }
    }
    std::mutex m_mutex;
    std::string m_root;
    std::string m_log;
    int m_killAt = 0;
    int m_failAt = 0;
    int m_errno = 0;
    int m_count = 0;
};

int openWith(const char* name, const char* path, int flags, mode_t mode) {
    const auto real = next<int (*)(const char*, int, ...)>(name);
    struct stat info {};
    if ((flags & O_CREAT) != 0 && ::stat(path, &info) != 0 &&
        !Recorder::get().call("create", absolutePath(path)))
        return -1;
    return real(path, flags, mode);
}

mode_t modeOf(int flags, va_list list) {
    return (flags & O_CREAT) != 0 ? static_cast<mode_t>(va_arg(list, int)) : 0;
}

} // namespace

extern "C" {

int open(const char* path, int flags, ...) {
    va_list list;
    va_start(list, flags);
    const mode_t mode = modeOf(flags, list);
    va_end(list);
    return openWith("open", path, flags, mode);
}

int open64(const char* path, int flags, ...) {
    va_list list;
    va_start(list, flags);
    const mode_t mode = modeOf(flags, list);
    va_end(list);
    return openWith("open64", path, flags, mode);
}

ssize_t write(int fd, const void* data, size_t bytes) {
    static const auto real = next<ssize_t (*)(int, const void*, size_t)>("write");
    if (fd > 2) {
        const int before = errno;
        if (!Recorder::get().call("write", pathOf(fd), {}, data, bytes, ::lseek(fd, 0, SEEK_CUR)))
            return -1;
        errno = before;
    }
    return real(fd, data, bytes);
}

int fsync(int fd) {
    static const auto real = next<int (*)(int)>("fsync");
    return Recorder::get().call("sync", pathOf(fd)) ? real(fd) : -1;
}

int rename(const char* from, const char* to) {
    static const auto real = next<int (*)(const char*, const char*)>("rename");
    return Recorder::get().call("rename", absolutePath(from), absolutePath(to)) ? real(from, to) : -1;
}

int renameat2(int fromFolder, const char* from, int toFolder, const char* to, unsigned flags) noexcept {
    static const auto real = next<int (*)(int, const char*, int, const char*, unsigned)>("renameat2");
    return Recorder::get().call("rename", absolutePath(from), absolutePath(to))
               ? real(fromFolder, from, toFolder, to, flags)
               : -1;
}

int unlink(const char* path) noexcept {
    static const auto real = next<int (*)(const char*)>("unlink");
    (void)Recorder::get().call("unlink", absolutePath(path));
    return real(path);
}

int mkdir(const char* path, mode_t mode) noexcept {
    static const auto real = next<int (*)(const char*, mode_t)>("mkdir");
    return Recorder::get().call("mkdir", absolutePath(path)) ? real(path, mode) : -1;
}
}
