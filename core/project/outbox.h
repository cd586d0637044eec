// Files that belong together are delivered together: all of them or none.
#pragma once

#include <core/base/new_file.h>
#include <filesystem>
#include <string>
#include <vector>

namespace cask::project {

/// Files are made in a hidden folder inside the one they are for, and moved out when all are complete.
/// Without deliver() nothing is left behind.
class Outbox {
  public:
    /// Makes the folder, and clears away what killed programs left half-done in it.
    [[nodiscard]] static Result<Outbox> open(const std::filesystem::path& folder, const WriteRules& rules);

    /// Where the file of that name is to be made. An error when the rules forbid the name: to be asked for
    /// all names before the work begins.
    [[nodiscard]] Result<std::filesystem::path> place(const std::string& name);
    /// Moves all files out, in the order of their places. Stopped halfway, the error says which are there.
    [[nodiscard]] Status deliver();

    [[nodiscard]] const std::filesystem::path& folder() const { return m_folder; }
    /// Where the files are once they are delivered.
    [[nodiscard]] std::vector<std::filesystem::path> paths() const;

  private:
    Outbox(std::filesystem::path folder, WriteRules rules, StagingFolder staging);
    std::filesystem::path m_folder;
    WriteRules m_rules;
    StagingFolder m_staging;
    std::vector<std::string> m_names;
};

} // namespace cask::project
