// The shelf: one-shots of whole folders, measured once and searched.
#pragma once

#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/base/role.h>
#include <core/measure/look/sound_look.h>
#include <cstdint>
#include <filesystem>
#include <map>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

struct sqlite3;

namespace cask::layers {

struct ShelfSound {
    std::int64_t id = 0;
    std::filesystem::path file;
    std::string hash; ///< of its content
    Role role = Role::Unknown;
    measure::SoundLook look; ///< its shape is only there where it is asked for
};

/// A number that is searched by.
struct ShelfNumber {
    std::string_view name; ///< stored: do not change
    std::string_view unit;
    double measure::SoundLook::*value;
};
[[nodiscard]] std::span<const ShelfNumber> shelfNumbers();

struct ShelfRange {
    std::string number; ///< by name
    double least = 0, most = 0;
};

struct ShelfQuery {
    std::string words; ///< all of them, in the file's path, whatever their case
    std::optional<Role> role = {};
    std::vector<ShelfRange> ranges = {};
    std::string sortBy = {}; ///< a number; empty: by path
    int most = 100;
};

struct ShelfAnswer {
    double unlikeness = 0; ///< see measure::unlikeness()
    ShelfSound sound;
};

struct ShelfIndexed {
    int measured = 0;
    int known = 0; ///< unchanged
    int moved = 0; ///< found again by their content
    int gone = 0;
    std::vector<std::string> problems; ///< files that are no one-shots, a sentence each
};

/// A database (SQLite). One object for one thread; several programs may read and index the same.
class Shelf {
  public:
    /// Opens or makes it. Errors: no database of ours, one of a newer version, a place that can't be written.
    [[nodiscard]] static Result<Shelf> open(const std::filesystem::path& file);
    /// Where the user's own lies.
    [[nodiscard]] static std::filesystem::path usersFile();

    /// Looks through a folder: what is new or changed is measured on all cores, what has moved keeps its
    /// numbers, what is gone is dropped. Stopped, what was measured so far stays, and the next run goes on.
    [[nodiscard]] Result<ShelfIndexed> index(const std::filesystem::path& folder,
                                             const CancelToken& cancel = {}, const ProgressFn& progress = {});
    /// Those that were ever indexed and not forgotten, by path.
    [[nodiscard]] Result<std::vector<std::filesystem::path>> folders() const;
    /// Takes a folder and all that lies in it off the shelf; its files stay.
    [[nodiscard]] Status forget(const std::filesystem::path& folder);
    [[nodiscard]] Result<std::vector<ShelfSound>> search(const ShelfQuery& query) const;
    /// Nearest first; those of `notHash` are left out.
    [[nodiscard]] Result<std::vector<ShelfAnswer>> like(const measure::SoundLook& look, int most,
                                                        const std::string& notHash = {}) const;
    /// Files of one content, those with more than one file.
    [[nodiscard]] Result<std::vector<std::vector<std::filesystem::path>>> duplicates() const;
    /// Every sound, with its shape.
    [[nodiscard]] Result<std::vector<ShelfSound>> all() const;
    [[nodiscard]] int count() const;

  private:
    struct Closer {
        void operator()(sqlite3* db) const;
    };
    Shelf() = default;
    [[nodiscard]] Error failure(const char* what) const;
    std::unique_ptr<sqlite3, Closer> m_db;
    std::filesystem::path m_file;
};

} // namespace cask::layers
