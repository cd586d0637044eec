// Folders on the shelf: what is new is measured, what has moved keeps its numbers, what is gone is dropped.
#include "core/base/hash.h"
#include "core/base/parallel.h"
#include "core/layers/drums_by_ear.h"
#include "core/layers/folder_kit.h"
#include "core/layers/one_shot.h"
#include "core/layers/shelf_rows.h"
#include "core/media/folder_scan.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>
#include <sys/stat.h>

namespace cask::layers {
namespace {

namespace fs = std::filesystem;
using measure::SoundLook;

constexpr std::size_t kBatch = 64; // measured between two writes

/// A file as it stands on the disk.
struct OnDisk {
    fs::path file;
    std::int64_t bytes = 0;
    std::int64_t changed = 0; ///< ns
};

std::optional<OnDisk> onDisk(const fs::path& file) {
    struct stat s {};
    if (::stat(file.c_str(), &s) != 0)
        return std::nullopt;
    return OnDisk{file, s.st_size, s.st_mtim.tv_sec * 1'000'000'000 + s.st_mtim.tv_nsec};
}

/// What a session has converted or struck for itself is no sound of anybody's.
bool isOfACache(const fs::path& file) {
    const auto folder = file.parent_path();
    std::error_code error;
    return folder.filename() == "cache" && fs::exists(folder.parent_path() / "session.json", error);
}

/// Folders far above a sound speak of people and disks.
Role roleOf(const fs::path& file, const SoundLook& look) {
    fs::path near = file.filename();
    auto folder = file.parent_path();
    for (int i = 0; i < 3 && folder.has_relative_path(); ++i, folder = folder.parent_path())
        near = folder.filename() / near;
    const Role named = roleOfName(near);
    return named != Role::Unknown ? named : guessRoleOfLooks(std::span(&look, 1)).role;
}

struct Measured {
    std::string hash;
    std::optional<SoundLook> look;
    std::string problem;
};

Measured measure(const fs::path& file) {
    Measured m;
    const auto hash = hashFile(file);
    if (!hash) {
        m.problem = hash.error().message;
        return m;
    }
    m.hash = *hash;
    const auto shot = readOneShot(file);
    if (!shot) {
        m.problem = shot.error().message + " It is not on the shelf.";
        return m;
    }
    m.look = measure::lookOf(shot->sound, shot->rateHz);
    if (!m.look)
        m.problem = file.string() + " is silent. It is not on the shelf.";
    return m;
}

} // namespace

Result<ShelfIndexed> Shelf::index(const fs::path& wanted, const CancelToken& cancel,
                                  const ProgressFn& progress) {
    sqlite3* const db = m_db.get();
    const fs::path folder = folderAsStored(wanted);
    std::error_code error;
    if (!fs::is_directory(folder, error))
        return Error{ErrorCode::NotFound, fmt::format("{} is no folder that can be read.", folder.string())};
    {
        Statement remember(db, "INSERT OR IGNORE INTO folders (path) VALUES (?)");
        if (!remember.isReady())
            return failure("written");
        remember.bind(1, folder.string());
        if (!remember.run())
            return failure("written");
    }
    const auto found = media::scanForAudio(std::span(&folder, 1));
    ShelfIndexed indexed;
    indexed.problems = found.problems;
    struct Known {
        std::int64_t id, bytes, changed;
    };
    std::map<fs::path, Known> known;
    {
        Statement read(db, "SELECT id, path, bytes, changed FROM sounds");
        while (read.step())
            known[read.text(1)] = {read.whole(0), read.whole(2), read.whole(3)};
        if (!read.isDone())
            return failure("read");
    }
    std::vector<OnDisk> fresh;
    std::set<fs::path> there;
    for (const auto& file : found.files) {
        if (isOfACache(file))
            continue;
        const auto now = onDisk(file);
        if (!now)
            continue;
        there.insert(file);
        const auto before = known.find(file);
        if (before != known.end() && before->second.bytes == now->bytes &&
            before->second.changed == now->changed)
            ++indexed.known;
        else
            fresh.push_back(*now);
    }
    std::string marks;
    for (std::size_t i = 0; i < 7 + shelfNumbers().size(); ++i)
        marks += i == 0 ? "?" : ", ?";
    Statement insert(db,
                     fmt::format("INSERT OR REPLACE INTO sounds ({}) VALUES ({})", shelfColumns(), marks));
    Statement insertShape(db, "INSERT OR REPLACE INTO shapes (id, shape) VALUES (?, ?)");
    Statement sameHash(db, "SELECT id, path FROM sounds WHERE hash = ?");
    Statement move(db,
                   "UPDATE sounds SET path = ?, bytes = ?, changed = ?, words = ?, role = ? WHERE id = ?");
    Statement drop(db, "DELETE FROM sounds WHERE id = ?");
    Statement dropShape(db, "DELETE FROM shapes WHERE id = ?");
    if (!insert.isReady() || !insertShape.isReady() || !move.isReady() || !drop.isReady())
        return failure("written");
    const auto exec = [&](const char* text) {
        return sqlite3_exec(db, text, nullptr, nullptr, nullptr) == SQLITE_OK;
    };
    for (std::size_t at = 0; at < fresh.size() && !cancel.isCancelled(); at += kBatch) {
        const std::size_t count = std::min(kBatch, fresh.size() - at);
        std::vector<Measured> measured(count);
        inParallel(count, [&](std::size_t i) {
            if (!cancel.isCancelled())
                measured[i] = measure(fresh[at + i].file);
        });
        if (cancel.isCancelled())
            break;
        if (!exec("BEGIN IMMEDIATE"))
            return failure("written");
        for (std::size_t i = 0; i < count; ++i) {
            const OnDisk& file = fresh[at + i];
            const Measured& m = measured[i];
            if (!m.look) {
                indexed.problems.push_back(m.problem);
                continue;
            }
            const std::string words = inLowerCase(file.file.string());
            const std::string role(roleInfo(roleOf(file.file, *m.look)).id);
            // One of the same content whose file is gone has moved here.
            std::int64_t moved = 0;
            sameHash.bind(1, m.hash);
            while (sameHash.step())
                if (sameHash.text(1) != file.file.string() && !fs::exists(sameHash.text(1), error))
                    moved = sameHash.whole(0);
            sameHash.run();
            if (moved != 0 && !known.contains(file.file)) {
                move.bind(1, file.file.string());
                move.bind(2, file.bytes);
                move.bind(3, file.changed);
                move.bind(4, words);
                move.bind(5, role);
                move.bind(6, moved);
                if (!move.run())
                    return failure("written");
                ++indexed.moved;
                continue;
            }
            insert.bind(1, file.file.string());
            insert.bind(2, file.bytes);
            insert.bind(3, file.changed);
            insert.bind(4, m.hash);
            insert.bind(5, words);
            insert.bind(6, role);
            insert.bind(7, static_cast<std::int64_t>(m.look->isHeld));
            for (std::size_t k = 0; k < shelfNumbers().size(); ++k)
                insert.bind(kFirstShelfNumber + static_cast<int>(k), (*m.look).*shelfNumbers()[k].value);
            if (!insert.run())
                return failure("written");
            insertShape.bind(1, static_cast<std::int64_t>(sqlite3_last_insert_rowid(db)));
            insertShape.bind(2, m.look->shape);
            if (!insertShape.run())
                return failure("written");
            ++indexed.measured;
        }
        if (!exec("COMMIT"))
            return failure("written");
        if (progress)
            progress(static_cast<double>(at + count) / static_cast<double>(fresh.size()));
    }
    if (cancel.isCancelled())
        return Error{
            ErrorCode::Cancelled,
            fmt::format("Stopped; {} sounds were measured and stay on the shelf.", indexed.measured)};
    // What lay in this folder and is there no more.
    if (!exec("BEGIN IMMEDIATE"))
        return failure("written");
    const std::string inside = folder.string() + "/";
    Statement read(db, "SELECT id, path FROM sounds");
    std::vector<std::int64_t> gone;
    while (read.step())
        if (const fs::path file = read.text(1);
            file.string().starts_with(inside) && !there.contains(file) && !fs::exists(file, error))
            gone.push_back(read.whole(0));
    for (const auto id : gone) {
        drop.bind(1, id);
        dropShape.bind(1, id);
        if (!drop.run() || !dropShape.run())
            return failure("written");
    }
    indexed.gone = static_cast<int>(gone.size());
    if (!exec("DELETE FROM shapes WHERE id NOT IN (SELECT id FROM sounds)")) // of files that changed
        return failure("written");
    if (!exec("COMMIT"))
        return failure("written");
    return indexed;
}

} // namespace cask::layers
