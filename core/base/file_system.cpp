#include "core/base/file_system.h"

#include "core/base/file_pieces.h"
#include "core/base/new_file.h"
#include "core/base/system_error.h"

#include <fmt/format.h>

#include <algorithm>
#include <cerrno>
#include <cmath>
#include <sys/stat.h>
#include <unistd.h>

namespace cask {
namespace {

namespace fs = std::filesystem;

class DiskFileSystem final : public FileSystem {
  public:
    Result<std::string> read(const fs::path& path) override {
        std::string text;
        const auto read = readPieces(path, [&](std::string_view piece) -> Status {
            text += piece;
            // Not by its size: files of the system say 0 and go on for ever.
            if (text.size() > kMostReadBytes)
                return Error{ErrorCode::BadFormat,
                             path.string() + " is far too long to be what it should be."};
            return Done{};
        });
        if (!read)
            return read.error();
        return text;
    }

    Status writeAtomically(const fs::path& path, std::string_view bytes) override {
        auto file = NewFile::create(path);
        if (!file)
            return file.error();
        if (auto written = file->write(bytes); !written)
            return written;
        return file->commit();
    }

    Status move(const fs::path& from, const fs::path& to) override {
        return moveIntoPlace(from, to, {IfExists::Refuse, nullptr});
    }

    Status copy(const fs::path& from, const fs::path& to) override {
        auto target = NewFile::create(to, {IfExists::Refuse, nullptr});
        if (!target)
            return target.error();
        if (auto copied = readPieces(from, [&](std::string_view piece) { return target->write(piece); });
            !copied)
            return copied;
        return target->commit();
    }

    Status remove(const fs::path& path) override {
        if (::unlink(path.c_str()) != 0 && errno != ENOENT)
            return systemError(path, "can't be removed", errno);
        return Done{};
    }

    Status makeFolder(const fs::path& path) override {
        std::error_code error;
        if (fs::create_directories(path, error) && path.has_parent_path()) {
            // The new folder's own entry must survive too, or all in it is lost with it.
            if (auto synced = syncFolder(path.parent_path()); !synced)
                return synced;
        }
        if (error)
            return systemError(path, "can't be made as a folder", error.value());
        return Done{};
    }

    bool exists(const fs::path& path) override {
        struct stat info {};
        return ::lstat(path.c_str(), &info) == 0 || (errno != ENOENT && errno != ENOTDIR);
    }

    std::vector<std::string> list(const fs::path& folder) override {
        std::vector<std::string> names;
        std::error_code error;
        for (fs::directory_iterator it(folder, error), end; !error && it != end; it.increment(error)) {
            std::error_code ignored;
            if (it->is_regular_file(ignored))
                names.push_back(it->path().filename().string());
        }
        std::sort(names.begin(), names.end());
        return names;
    }
};

} // namespace

FileSystem& diskFileSystem() {
    static DiskFileSystem files;
    return files;
}

Status checkRoom(const fs::path& folder, std::uintmax_t bytes) {
    std::error_code error;
    const auto space = fs::space(folder, error);
    if (error || space.available >= bytes) // a disk that does not say is tried
        return Done{};
    const auto words = [](std::uintmax_t count) {
        return count < 10'000'000 ? fmt::format("{:.0f} kB", std::ceil(1e-3 * static_cast<double>(count)))
                                  : fmt::format("{:.0f} MB", 1e-6 * static_cast<double>(count));
    };
    return Error{ErrorCode::NoSpace,
                 fmt::format("The disk of {} is too full: {} are free, about {} would be written.",
                             folder.string(), words(space.available), words(bytes))};
}

} // namespace cask
