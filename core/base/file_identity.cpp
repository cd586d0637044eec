#include "core/base/file_identity.h"

#include <sys/stat.h>

namespace cask {
namespace {

std::filesystem::path folderOf(const std::filesystem::path& path) {
    return path.has_parent_path() ? path.parent_path() : std::filesystem::path(".");
}

} // namespace

std::optional<FileIdentity> identityOf(const std::filesystem::path& path) {
    struct stat info {};
    if (::stat(path.c_str(), &info) != 0)
        return std::nullopt;
    return FileIdentity{info.st_dev, info.st_ino};
}

void ProtectedFiles::add(const std::filesystem::path& path) {
    if (const auto file = identityOf(path))
        m_files.insert(*file);
    else if (const auto folder = identityOf(folderOf(path)))
        m_places.emplace(*folder, path.filename());
}

bool ProtectedFiles::holds(const std::filesystem::path& path) const {
    if (const auto file = identityOf(path); file && m_files.contains(*file))
        return true;
    const auto folder = identityOf(folderOf(path));
    return folder && m_places.contains({*folder, path.filename()});
}

} // namespace cask
