#include "core/base/file_system.h"

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <fstream>
#include <sstream>
#include <unistd.h>

namespace cask {
namespace {

namespace fs = std::filesystem;

Error systemError(const fs::path& path, const char* what) {
    const int number = errno;
    const auto code = number == ENOSPC || number == EDQUOT ? ErrorCode::NoSpace
                      : number == ENOENT                   ? ErrorCode::NotFound
                                                           : ErrorCode::NotWritable;
    const std::string reason = code == ErrorCode::NoSpace ? "the disk is full" : std::strerror(number);
    return {code, path.string() + " " + what + ": " + reason + "."};
}

Status syncFolder(const fs::path& folder) {
    const int fd = ::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    if (fd < 0)
        return systemError(folder, "can't be opened");
    const bool failed = ::fsync(fd) != 0 && errno != EINVAL;
    const Error error = systemError(folder, "can't be written");
    ::close(fd);
    if (failed)
        return error;
    return Done{};
}

class DiskFileSystem final : public FileSystem {
  public:
    Result<std::string> read(const fs::path& path) override {
        std::ifstream in(path, std::ios::binary);
        if (!in)
            return Error{fs::exists(path) ? ErrorCode::NotReadable : ErrorCode::NotFound,
                         path.string() + " can't be read."};
        std::ostringstream out;
        out << in.rdbuf();
        if (in.bad())
            return Error{ErrorCode::NotReadable, path.string() + " can't be read to its end."};
        return out.str();
    }

    Status writeSynced(const fs::path& path, std::string_view bytes) override {
        const int fd = ::open(path.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0644);
        if (fd < 0)
            return systemError(path, "can't be written");
        while (!bytes.empty()) {
            const ssize_t n = ::write(fd, bytes.data(), bytes.size());
            if (n < 0 && errno == EINTR)
                continue;
            if (n < 0) {
                const Error error = systemError(path, "can't be written");
                ::close(fd);
                return error;
            }
            bytes.remove_prefix(static_cast<std::size_t>(n));
        }
        const bool syncFailed = ::fsync(fd) != 0;
        const Error error = systemError(path, "can't be written");
        if (::close(fd) != 0 || syncFailed)
            return error;
        return Done{};
    }

    Status replace(const fs::path& from, const fs::path& to) override {
        if (::rename(from.c_str(), to.c_str()) != 0)
            return systemError(to, "can't be replaced");
        return syncFolder(to.parent_path());
    }

    Status copy(const fs::path& from, const fs::path& to) override {
        std::error_code error;
        fs::copy_file(from, to, fs::copy_options::overwrite_existing, error);
        if (error)
            return Error{error == std::errc::no_space_on_device ? ErrorCode::NoSpace : ErrorCode::NotWritable,
                         from.string() + " can't be copied to " + to.string() + ": " + error.message() + "."};
        return Done{};
    }

    Status remove(const fs::path& path) override {
        std::error_code error;
        fs::remove(path, error);
        if (error)
            return Error{ErrorCode::NotWritable,
                         path.string() + " can't be removed: " + error.message() + "."};
        return Done{};
    }

    Status makeFolder(const fs::path& path) override {
        std::error_code error;
        fs::create_directories(path, error);
        if (error)
            return Error{ErrorCode::NotWritable,
                         path.string() + " can't be made as a folder: " + error.message() + "."};
        return Done{};
    }

    bool exists(const fs::path& path) override {
        std::error_code error;
        return fs::exists(path, error);
    }

    std::vector<std::string> list(const fs::path& folder) override {
        std::vector<std::string> names;
        std::error_code error;
        for (fs::directory_iterator it(folder, error), end; !error && it != end; it.increment(error))
            if (it->is_regular_file(error))
                names.push_back(it->path().filename().string());
        std::sort(names.begin(), names.end());
        return names;
    }
};

} // namespace

FileSystem& diskFileSystem() {
    static DiskFileSystem files;
    return files;
}

Status writeAtomically(FileSystem& files, const fs::path& path, std::string_view bytes) {
    fs::path temporary = path;
    temporary += ".tmp";
    if (auto written = files.writeSynced(temporary, bytes); !written) {
        const Error error = written.error();
        (void)files.remove(temporary);
        return error;
    }
    return files.replace(temporary, path);
}

} // namespace cask
