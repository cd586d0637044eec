// A file system in memory that can be told to fail at its n-th operation: for tests of what must never be
// lost.
#pragma once

#include <core/base/file_system.h>
#include <limits>
#include <map>

namespace cask {

/// Not thread-safe.
class MemoryFileSystem final : public FileSystem {
  public:
    [[nodiscard]] Result<std::string> read(const std::filesystem::path& path) override;
    [[nodiscard]] Status writeAtomically(const std::filesystem::path& path, std::string_view bytes) override;
    [[nodiscard]] Status move(const std::filesystem::path& from, const std::filesystem::path& to) override;
    [[nodiscard]] Status copy(const std::filesystem::path& from, const std::filesystem::path& to) override;
    [[nodiscard]] Status remove(const std::filesystem::path& path) override;
    [[nodiscard]] Status makeFolder(const std::filesystem::path& path) override;
    [[nodiscard]] bool exists(const std::filesystem::path& path) override;
    [[nodiscard]] std::vector<std::string> list(const std::filesystem::path& folder) override;

    /// The writing operation with this index (0 = the next one) and all after it fail with NoSpace.
    void failFrom(int operation) { m_operationsLeft = operation; }
    void neverFail() { m_operationsLeft = std::numeric_limits<int>::max(); }

  private:
    [[nodiscard]] bool fails() { return m_operationsLeft-- <= 0; }

    std::map<std::filesystem::path, std::string> m_files;
    int m_operationsLeft = std::numeric_limits<int>::max();
};

} // namespace cask
