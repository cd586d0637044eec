// The one way in which the program writes files: beside the place where they belong, complete, then moved
// there in one step.
#pragma once

#include <core/base/file_identity.h>
#include <core/base/result.h>
#include <filesystem>
#include <string_view>

namespace cask {

enum class IfExists { Refuse, Replace };

struct WriteRules {
    IfExists ifExists = IfExists::Replace;
    const ProtectedFiles* sources = nullptr; ///< must outlive the writer; none: nothing is protected
};

/// Whether a file may be put there: never over a source, never through a link, over another file only when
/// the rules say so. To be asked before long work; commit() asks again.
[[nodiscard]] Status mayWrite(const std::filesystem::path& path, const WriteRules& rules);

/// A file on its way to its name. Until commit() it lies beside its place under a name of its own
/// (".ember-cask-*.part"), locked as long as this process lives; without commit() nothing is left behind.
class NewFile {
  public:
    [[nodiscard]] static Result<NewFile> create(const std::filesystem::path& path,
                                                const WriteRules& rules = {});
    NewFile(NewFile&& other) noexcept;
    NewFile& operator=(NewFile&&) = delete;
    NewFile(const NewFile&) = delete;
    NewFile& operator=(const NewFile&) = delete;
    ~NewFile();

    [[nodiscard]] int descriptor() const { return m_fd; }
    [[nodiscard]] const std::filesystem::path& path() const { return m_path; }
    [[nodiscard]] const std::filesystem::path& temporary() const { return m_temporary; }
    [[nodiscard]] Status write(std::string_view bytes);
    /// Forces the bytes to the disk, moves the file to its name, forces the folder to the disk.
    [[nodiscard]] Status commit();

  private:
    NewFile() = default;
    std::filesystem::path m_path;
    std::filesystem::path m_temporary;
    WriteRules m_rules;
    int m_fd = -1;
};

/// A folder ".ember-cask-*.part" inside another one in which something is put together; gone with this
/// object.
class StagingFolder {
  public:
    [[nodiscard]] static Result<StagingFolder> create(const std::filesystem::path& inside);
    StagingFolder(StagingFolder&& other) noexcept;
    StagingFolder& operator=(StagingFolder&&) = delete;
    StagingFolder(const StagingFolder&) = delete;
    StagingFolder& operator=(const StagingFolder&) = delete;
    ~StagingFolder();
    [[nodiscard]] const std::filesystem::path& path() const { return m_path; }

  private:
    StagingFolder() = default;
    std::filesystem::path m_path;
    int m_fd = -1;
};

/// Moves a complete file to its name under the rules and forces the folder to the disk.
[[nodiscard]] Status moveIntoPlace(const std::filesystem::path& from, const std::filesystem::path& to,
                                   const WriteRules& rules);
[[nodiscard]] Status syncFolder(const std::filesystem::path& folder);

/// Removes what processes that are gone left half-written in a folder.
void removeStaleParts(const std::filesystem::path& folder);

} // namespace cask
