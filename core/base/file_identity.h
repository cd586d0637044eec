// Which file something is, whatever it is called; and the files that nothing may be written over.
#pragma once

#include <compare>
#include <cstdint>
#include <filesystem>
#include <optional>
#include <set>
#include <utility>

namespace cask {

/// Device and inode: the same for all names and links of one file.
struct FileIdentity {
    std::uint64_t device = 0;
    std::uint64_t inode = 0;
    friend auto operator<=>(const FileIdentity&, const FileIdentity&) = default;
};

/// Links are followed; nothing when there is no such file or it can't be looked at.
[[nodiscard]] std::optional<FileIdentity> identityOf(const std::filesystem::path& path);

/// The sources of a session. One that is missing keeps its place: what would be written there would be taken
/// for it the next time.
class ProtectedFiles {
  public:
    void add(const std::filesystem::path& path);
    [[nodiscard]] bool holds(const std::filesystem::path& path) const;

  private:
    std::set<FileIdentity> m_files;
    std::set<std::pair<FileIdentity, std::filesystem::path>> m_places; ///< folder and name of missing ones
};

} // namespace cask
