#include "core/base/system_error.h"

#include <cerrno>
#include <fcntl.h>
#include <sys/stat.h>
#include <system_error>
#include <unistd.h>

namespace cask {
namespace {

ErrorCode codeOf(int number, bool isReading) {
    switch (number) {
    case ENOSPC:
    case EDQUOT:
    case EFBIG:
        return ErrorCode::NoSpace;
    case ENOENT:
    case ENOTDIR:
        return isReading ? ErrorCode::NotFound : ErrorCode::NotWritable;
    default:
        return isReading ? ErrorCode::NotReadable : ErrorCode::NotWritable;
    }
}

} // namespace

std::string systemReason(int number) {
    switch (number) {
    case ENOSPC:
        return "the disk is full";
    case EDQUOT:
        return "the disk quota is used up";
    case EFBIG:
        return "the file would be larger than is allowed here";
    case ENOENT:
        return "it is not there";
    case ENOTDIR:
        return "a part of its path is not a folder";
    case EISDIR:
        return "it is a folder";
    case EACCES:
    case EPERM:
        return "no permission";
    case EROFS:
        return "the disk is read-only";
    case EMFILE:
    case ENFILE:
        return "too many files are open";
    case ENAMETOOLONG:
        return "its name is too long";
    case ELOOP:
        return "its links lead in a circle";
    case EIO:
        return "the disk reports an error";
    default:
        return std::generic_category().message(number);
    }
}

Error systemError(const std::filesystem::path& path, std::string_view what, int number) {
    const bool isReading =
        what.find("read") != std::string_view::npos || what.find("opened") != std::string_view::npos;
    return {codeOf(number, isReading),
            path.string() + " " + std::string(what) + ": " + systemReason(number) + "."};
}

Result<int> openRegularFile(const std::filesystem::path& path) {
    const int fd = ::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK);
    if (fd < 0)
        return systemError(path, "can't be read", errno);
    struct stat info {};
    if (::fstat(fd, &info) != 0 || !S_ISREG(info.st_mode)) {
        ::close(fd);
        return Error{ErrorCode::NotReadable,
                     path.string() +
                         (S_ISDIR(info.st_mode) ? " is not a file but a folder." : " is not a file.")};
    }
    return fd;
}

} // namespace cask
