#include "core/base/memory_file_system.h"

namespace cask {
namespace {

Error full(const std::filesystem::path& path) {
    return {ErrorCode::NoSpace, path.string() + " can't be written: the disk is full."};
}

Error missing(const std::filesystem::path& path) {
    return {ErrorCode::NotFound, path.string() + " can't be read."};
}

} // namespace

Result<std::string> MemoryFileSystem::read(const std::filesystem::path& path) {
    const auto it = m_files.find(path);
    if (it == m_files.end())
        return missing(path);
    return it->second;
}

Status MemoryFileSystem::writeAtomically(const std::filesystem::path& path, std::string_view bytes) {
    if (fails())
        return full(path);
    m_files[path] = std::string(bytes);
    return Done{};
}

Status MemoryFileSystem::move(const std::filesystem::path& from, const std::filesystem::path& to) {
    if (fails())
        return full(to);
    const auto it = m_files.find(from);
    if (it == m_files.end())
        return missing(from);
    if (m_files.contains(to))
        return Error{ErrorCode::Exists, to.string() + " is there already; it was left as it is."};
    m_files[to] = std::move(it->second);
    m_files.erase(it);
    return Done{};
}

Status MemoryFileSystem::copy(const std::filesystem::path& from, const std::filesystem::path& to) {
    if (fails())
        return full(to);
    const auto it = m_files.find(from);
    if (it == m_files.end())
        return missing(from);
    m_files[to] = it->second;
    return Done{};
}

Status MemoryFileSystem::remove(const std::filesystem::path& path) {
    m_files.erase(path);
    return Done{};
}

Status MemoryFileSystem::makeFolder(const std::filesystem::path&) {
    return Done{};
}

bool MemoryFileSystem::exists(const std::filesystem::path& path) {
    return m_files.contains(path);
}

std::vector<std::string> MemoryFileSystem::list(const std::filesystem::path& folder) {
    std::vector<std::string> names;
    for (const auto& [path, bytes] : m_files)
        if (path.parent_path() == folder)
            names.push_back(path.filename().string());
    return names;
}

} // namespace cask
