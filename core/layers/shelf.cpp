#include "core/layers/shelf.h"

#include "core/base/file_system.h"
#include "core/layers/shelf_rows.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cstdlib>
#include <sqlite3.h>

namespace cask::layers {
namespace {

namespace fs = std::filesystem;
using measure::SoundLook;

constexpr int kVersion = 3;        // 2: the folders that were indexed; 3: roles by ear and by folders above
constexpr int kPatienceMs = 10000; // for another program that writes

constexpr std::array kNumbers = {
    ShelfNumber{"length_ms", "ms", &SoundLook::lengthMs},
    ShelfNumber{"fundamental_hz", "Hz", &SoundLook::fundamentalHz},
    ShelfNumber{"from_hz", "Hz", &SoundLook::fromHz},
    ShelfNumber{"fall_ms", "ms", &SoundLook::fallMs},
    ShelfNumber{"brightness_hz", "Hz", &SoundLook::brightnessHz},
    ShelfNumber{"attack_ms", "ms", &SoundLook::attackMs},
    ShelfNumber{"decay_ms", "ms", &SoundLook::decayMs},
    ShelfNumber{"noisiness", "", &SoundLook::noisiness},
    ShelfNumber{"loudness_db", "dB", &SoundLook::loudnessDb},
    ShelfNumber{"peak_db", "dBFS", &SoundLook::peakDb},
    ShelfNumber{"low_share", "", &SoundLook::lowShare},
    ShelfNumber{"width_percent", "%", &SoundLook::widthPercent},
    ShelfNumber{"onset_ms", "ms", &SoundLook::onsetMs},
};

ShelfSound soundOf(const Statement& row) {
    ShelfSound sound;
    sound.id = row.whole(0);
    sound.file = row.text(1);
    sound.hash = row.text(4);
    sound.role = roleFromId(row.text(6)).value_or(Role::Unknown);
    sound.look.isHeld = row.whole(7) != 0;
    for (std::size_t i = 0; i < kNumbers.size(); ++i)
        sound.look.*kNumbers[i].value = row.number(kFirstShelfNumber + static_cast<int>(i));
    return sound;
}

} // namespace

std::span<const ShelfNumber> shelfNumbers() {
    return kNumbers;
}

void Shelf::Closer::operator()(sqlite3* db) const {
    sqlite3_close(db);
}

Error Shelf::failure(const char* what) const {
    return Error{ErrorCode::NotReadable, fmt::format("The shelf {} can't be {}: {}.", m_file.string(), what,
                                                     sqlite3_errmsg(m_db.get()))};
}

fs::path Shelf::usersFile() {
    const char* data = std::getenv("XDG_DATA_HOME"); // NOLINT(concurrency-mt-unsafe): never set here
    const char* home = std::getenv("HOME");          // NOLINT(concurrency-mt-unsafe)
    const fs::path base = data != nullptr && *data != '\0'   ? fs::path(data)
                          : home != nullptr && *home != '\0' ? fs::path(home) / ".local" / "share"
                                                             : fs::temp_directory_path();
    return base / "ember-cask" / "shelf.db";
}

Result<Shelf> Shelf::open(const fs::path& file) {
    Shelf shelf;
    shelf.m_file = file;
    if (!file.parent_path().empty())
        if (auto made = diskFileSystem().makeFolder(file.parent_path()); !made)
            return made.error();
    sqlite3* db = nullptr;
    const int opened = sqlite3_open(file.c_str(), &db);
    shelf.m_db.reset(db);
    if (opened != SQLITE_OK)
        return shelf.failure("opened");
    sqlite3_busy_timeout(db, kPatienceMs);
    // A hundred thousand sounds are about 60 MB.
    sqlite3_exec(db, "PRAGMA mmap_size = 268435456; PRAGMA cache_size = -65536", nullptr, nullptr, nullptr);
    int version = 0;
    {
        Statement read(db, "PRAGMA user_version");
        if (!read.isReady() || !read.step())
            return shelf.failure("read");
        version = static_cast<int>(read.whole(0));
    }
    if (version > kVersion)
        return Error{ErrorCode::NewerVersion,
                     fmt::format("The shelf {} was made by a newer version of Ember Cask.", file.string())};
    if (version == kVersion)
        return shelf;
    std::string numbers;
    for (const auto& number : kNumbers)
        numbers += fmt::format(", {} REAL NOT NULL", number.name);
    const std::string make = fmt::format(
        "BEGIN IMMEDIATE;"
        "CREATE TABLE IF NOT EXISTS sounds (id INTEGER PRIMARY KEY, path TEXT NOT NULL UNIQUE, bytes INTEGER "
        "NOT NULL, changed INTEGER NOT NULL, hash TEXT NOT NULL, words TEXT NOT NULL, role TEXT NOT "
        "NULL, held INTEGER NOT NULL{});"
        "CREATE INDEX IF NOT EXISTS sounds_by_hash ON sounds (hash);"
        "CREATE INDEX IF NOT EXISTS sounds_by_words ON sounds (words);"
        "CREATE INDEX IF NOT EXISTS sounds_by_role ON sounds (role);"
        // Apart, so that a search reads little.
        "CREATE TABLE IF NOT EXISTS shapes (id INTEGER PRIMARY KEY REFERENCES sounds (id) ON DELETE CASCADE, "
        "shape BLOB NOT NULL);"
        "CREATE TABLE IF NOT EXISTS folders (path TEXT PRIMARY KEY);"
        // What an older program measured is searched until it is measured anew.
        "UPDATE sounds SET changed = 0;"
        "PRAGMA user_version = {}; COMMIT;",
        numbers, kVersion);
    sqlite3_exec(db, "PRAGMA journal_mode = WAL", nullptr, nullptr, nullptr);
    if (sqlite3_exec(db, make.c_str(), nullptr, nullptr, nullptr) != SQLITE_OK)
        return shelf.failure("made");
    return shelf;
}

Result<std::vector<ShelfSound>> Shelf::search(const ShelfQuery& query) const {
    std::string text = fmt::format("SELECT id, {} FROM sounds WHERE 1", shelfColumns());
    std::vector<std::string> words;
    std::string word;
    for (const char c : inLowerCase(query.words) + " ")
        if (c != ' ')
            word += c;
        else if (!word.empty())
            words.push_back(std::exchange(word, {}));
    // Of the words' own index, so that little is read.
    for (std::size_t i = 0; i < words.size(); ++i)
        text += (i == 0 ? " AND id IN (SELECT id FROM sounds WHERE instr(words, ?) > 0"
                        : " AND instr(words, ?) > 0");
    if (!words.empty())
        text += ")";
    if (query.role)
        text += " AND role = ?";
    for (const auto& range : query.ranges) {
        const auto found = std::find_if(kNumbers.begin(), kNumbers.end(),
                                        [&](const auto& number) { return number.name == range.number; });
        if (found == kNumbers.end())
            return Error{ErrorCode::BadValue,
                         fmt::format("There is no number \"{}\" on the shelf.", range.number)};
        text += fmt::format(" AND {} BETWEEN ? AND ?", found->name);
    }
    const auto sort = std::find_if(kNumbers.begin(), kNumbers.end(),
                                   [&](const auto& number) { return number.name == query.sortBy; });
    text += fmt::format(" ORDER BY {} LIMIT ?", sort == kNumbers.end() ? "path" : sort->name);
    Statement read(m_db.get(), text);
    if (!read.isReady())
        return failure("read");
    int at = 1;
    for (const auto& one : words)
        read.bind(at++, one);
    if (query.role)
        read.bind(at++, std::string(roleInfo(*query.role).id));
    for (const auto& range : query.ranges) {
        read.bind(at++, range.least);
        read.bind(at++, range.most);
    }
    read.bind(at, static_cast<std::int64_t>(query.most));
    std::vector<ShelfSound> sounds;
    while (read.step())
        sounds.push_back(soundOf(read));
    if (!read.isDone())
        return failure("read");
    return sounds;
}

Result<std::vector<ShelfAnswer>> Shelf::like(const SoundLook& look, int most,
                                             const std::string& notHash) const {
    Statement read(m_db.get(),
                   "SELECT shapes.id, shape, hash FROM shapes JOIN sounds ON sounds.id = shapes.id");
    if (!read.isReady())
        return failure("read");
    std::vector<std::pair<double, std::int64_t>> near;
    while (read.step()) {
        measure::LookShape shape;
        read.shape(1, shape);
        if (notHash.empty() || read.text(2) != notHash)
            near.emplace_back(measure::unlikeness(look.shape, shape), read.whole(0));
    }
    if (!read.isDone())
        return failure("read");
    const auto kept = std::min(near.size(), static_cast<std::size_t>(std::max(0, most)));
    std::partial_sort(near.begin(), near.begin() + static_cast<std::ptrdiff_t>(kept), near.end());
    near.resize(kept);
    Statement one(m_db.get(), fmt::format("SELECT id, {} FROM sounds WHERE id = ?", shelfColumns()));
    std::vector<ShelfAnswer> answers;
    for (const auto& [distance, id] : near) {
        one.bind(1, id);
        if (one.step())
            answers.push_back({distance, soundOf(one)});
        one.run();
    }
    return answers;
}

Result<std::vector<std::vector<fs::path>>> Shelf::duplicates() const {
    Statement read(m_db.get(),
                   "SELECT hash, path FROM sounds WHERE hash IN (SELECT hash FROM sounds GROUP BY hash "
                   "HAVING count(*) > 1) ORDER BY hash, path");
    if (!read.isReady())
        return failure("read");
    std::vector<std::vector<fs::path>> groups;
    std::string last;
    while (read.step()) {
        if (read.text(0) != last)
            groups.emplace_back();
        last = read.text(0);
        groups.back().emplace_back(read.text(1));
    }
    if (!read.isDone())
        return failure("read");
    return groups;
}

Result<std::vector<ShelfSound>> Shelf::all() const {
    const std::string text = fmt::format(
        "SELECT sounds.id, {}, shape FROM sounds JOIN shapes ON shapes.id = sounds.id", shelfColumns());
    Statement read(m_db.get(), text);
    if (!read.isReady())
        return failure("read");
    std::vector<ShelfSound> sounds;
    while (read.step()) {
        sounds.push_back(soundOf(read));
        read.shape(kFirstShelfNumber + static_cast<int>(kNumbers.size()), sounds.back().look.shape);
    }
    if (!read.isDone())
        return failure("read");
    return sounds;
}

Result<std::vector<fs::path>> Shelf::folders() const {
    Statement read(m_db.get(), "SELECT path FROM folders ORDER BY path");
    if (!read.isReady())
        return failure("read");
    std::vector<fs::path> folders;
    while (read.step())
        folders.emplace_back(read.text(0));
    if (!read.isDone())
        return failure("read");
    return folders;
}

Status Shelf::forget(const fs::path& folder) {
    const fs::path wanted = folderAsStored(folder);
    const std::string inside = wanted.string() + "/";
    if (sqlite3_exec(m_db.get(), "BEGIN IMMEDIATE", nullptr, nullptr, nullptr) != SQLITE_OK)
        return failure("written");
    Statement drop(m_db.get(), "DELETE FROM folders WHERE path = ?");
    drop.bind(1, wanted.string());
    // substr: what a pattern would read as a wildcard may stand in a path.
    Statement sounds(m_db.get(), "DELETE FROM sounds WHERE substr(path, 1, length(?1)) = ?1");
    sounds.bind(1, inside);
    const bool isDone =
        drop.run() && sounds.run() &&
        sqlite3_exec(m_db.get(), "DELETE FROM shapes WHERE id NOT IN (SELECT id FROM sounds); COMMIT",
                     nullptr, nullptr, nullptr) == SQLITE_OK;
    if (isDone)
        return Done{};
    const Error error = failure("written");
    sqlite3_exec(m_db.get(), "ROLLBACK", nullptr, nullptr, nullptr);
    return error;
}

int Shelf::count() const {
    Statement read(m_db.get(), "SELECT count(*) FROM sounds");
    return read.isReady() && read.step() ? static_cast<int>(read.whole(0)) : 0;
}

} // namespace cask::layers
