#include "core/session/session_store.h"

#include "core/base/hash.h"
#include "core/base/new_file.h"
#include "core/session/session_json.h"
#include "core/session/unknown_module.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>

namespace cask::session {
namespace {

namespace fs = std::filesystem;

std::string hashText(const std::string& text) {
    return hashBytes(std::as_bytes(std::span(text.data(), text.size())));
}

int numberOf(const std::string& name) {
    return static_cast<int>(std::strtol(name.c_str(), nullptr, 10));
}

} // namespace

SessionStore::SessionStore(FileSystem& files, fs::path folder)
    : m_files(files), m_folder(std::move(folder)) {}

Result<std::unique_ptr<FolderLock>> SessionStore::lock(std::chrono::milliseconds patience) const {
    if (auto made = m_files.makeFolder(m_folder); !made)
        return made.error();
    auto lock = FolderLock::take(m_folder, patience);
    if (lock) { // what a killed writer left half-done
        removeStaleParts(m_folder);
        removeStaleParts(versionsFolder());
    }
    return lock;
}

fs::path SessionStore::nextIn(const fs::path& folder, const std::string& ending) const {
    int last = 0;
    for (const auto& name : m_files.list(folder))
        last = std::max(last, numberOf(name));
    return folder / fmt::format("{:06d}{}", last + 1, ending);
}

Status SessionStore::keepVersion() {
    if (!m_files.exists(sessionFile()))
        return Done{};
    const auto text = m_files.read(sessionFile());
    // A damaged file is kept as well: it may be all that someone has. One that can't be read is not replaced.
    if (!text)
        return text.error();
    if (auto made = m_files.makeFolder(versionsFolder()); !made)
        return made;
    if (auto written = m_files.writeAtomically(nextIn(versionsFolder(), ".json"), *text); !written)
        return written;
    const auto names = m_files.list(versionsFolder());
    for (std::size_t i = 0; i + static_cast<std::size_t>(kKeptVersions) < names.size(); ++i)
        (void)m_files.remove(versionsFolder() / names[i]);
    return Done{};
}

Status SessionStore::setForeignAutosaveAside() {
    if (m_ownsAutosave || !m_files.exists(autosaveFile()))
        return Done{};
    const auto unsaved = m_files.read(autosaveFile());
    const auto saved = m_files.read(sessionFile());
    if (unsaved && saved && *unsaved == *saved) // saved after all: the writer ended before it was dropped
        return m_files.remove(autosaveFile());
    if (auto made = m_files.makeFolder(unsavedFolder()); !made)
        return made;
    const auto to = nextIn(unsavedFolder(), ".json");
    if (auto moved = m_files.move(autosaveFile(), to); !moved)
        return moved;
    m_setAside = fs::path(unsavedFolder().filename() / to.filename()).string();
    return Done{};
}

bool SessionStore::hasChangedOnDisk() const {
    if (m_knownHash.empty())
        return false;
    const auto text = m_files.read(sessionFile());
    return text && hashText(*text) != m_knownHash;
}

Status SessionStore::save(const Session& session, bool overNewer) {
    if (auto made = m_files.makeFolder(m_folder); !made)
        return made;
    if (!overNewer && hasChangedOnDisk())
        return Error{ErrorCode::ChangedOnDisk,
                     sessionFile().string() +
                         " was changed by another program since it was opened; it was left as it is."};
    if (auto aside = setForeignAutosaveAside(); !aside)
        return aside;
    if (auto kept = keepVersion(); !kept)
        return kept;
    const std::string text = toJson(session);
    if (auto written = m_files.writeAtomically(sessionFile(), text); !written)
        return written;
    m_knownHash = hashText(text);
    return dropAutosave();
}

Status SessionStore::autosave(const Session& session) {
    if (auto made = m_files.makeFolder(m_folder); !made)
        return made;
    if (auto aside = setForeignAutosaveAside(); !aside)
        return aside;
    auto written = m_files.writeAtomically(autosaveFile(), toJson(session));
    m_ownsAutosave = m_ownsAutosave || written.ok();
    return written;
}

Status SessionStore::dropAutosave() {
    if (!m_ownsAutosave)
        return Done{};
    auto removed = m_files.remove(autosaveFile());
    m_ownsAutosave = !removed.ok();
    return removed;
}

Status SessionStore::refuseAutosave() {
    if (!m_ownsAutosave)
        return Done{};
    if (auto made = m_files.makeFolder(versionsFolder()); !made)
        return made;
    auto moved = m_files.move(autosaveFile(), nextIn(versionsFolder(), "-unsaved.json"));
    m_ownsAutosave = !moved.ok();
    return moved;
}

Status SessionStore::settle(const UnsavedWork& work) {
    const bool wasSetAside = work.file == autosaveFile().filename() && !m_setAside.empty();
    const fs::path from = m_folder / (wasSetAside ? m_setAside : work.file);
    if (!m_files.exists(from))
        return Done{};
    if (auto made = m_files.makeFolder(versionsFolder()); !made)
        return made;
    return m_files.move(from, nextIn(versionsFolder(), "-unsaved.json"));
}

std::vector<std::string> SessionStore::versions() const {
    auto names = m_files.list(versionsFolder());
    std::erase_if(names, [](const std::string& name) { return !name.ends_with(".json"); });
    std::reverse(names.begin(), names.end());
    return names;
}

std::optional<std::string> SessionStore::newestReadableVersion() const {
    for (const auto& name : versions())
        if (const auto text = m_files.read(versionsFolder() / name); text && fromJson(*text, name))
            return name;
    return std::nullopt;
}

void SessionStore::findUnsaved(OpenedSession& opened) const {
    const auto add = [&](const std::string& file) {
        const auto text = m_files.read(m_folder / file);
        auto work = text ? fromJson(*text, (m_folder / file).string()) : Result<Session>(text.error());
        if (!work)
            opened.notes.push_back(work.error().message + " It holds work that was not saved and is kept.");
        else if (*work != opened.session)
            opened.unsaved.push_back({file, std::move(*work)});
    };
    if (!m_ownsAutosave && m_files.exists(autosaveFile()))
        add(autosaveFile().filename().string());
    auto names = m_files.list(unsavedFolder());
    for (auto it = names.rbegin(); it != names.rend(); ++it)
        if (it->ends_with(".json"))
            add((unsavedFolder().filename() / *it).string());
}

Result<OpenedSession> SessionStore::open() {
    OpenedSession opened;
    if (!m_files.exists(sessionFile())) {
        if (!m_files.exists(autosaveFile()) && !newestReadableVersion())
            return Error{ErrorCode::NotFound, m_folder.string() + " holds no session."};
        opened.session = emptySession(); // never saved: all there is of it is unsaved work
        findUnsaved(opened);
        if (!opened.unsaved.empty()) {
            opened.session.sampleRateHz = opened.unsaved.front().session.sampleRateHz;
            return opened;
        }
    }
    const auto text = m_files.read(sessionFile());
    auto saved = text ? fromJson(*text, sessionFile().string()) : Result<Session>(text.error());
    if (!saved) {
        Error error = saved.error();
        if (error.code != ErrorCode::NewerVersion)
            if (const auto version = newestReadableVersion())
                error.message += " Nothing was opened in its place; the newest version that can be read is " +
                                 *version + ".";
        return error;
    }
    m_knownHash = hashText(*text);
    opened.session = std::move(*saved);
    opened.notes = unknownModuleSentences(opened.session);
    findUnsaved(opened);
    return opened;
}

Result<OpenedSession> SessionStore::openVersion(const std::string& name) {
    const auto names = versions();
    if (std::find(names.begin(), names.end(), name) == names.end())
        return Error{ErrorCode::NotFound, m_folder.string() + " has no version " + name + "."};
    const auto text = m_files.read(versionsFolder() / name);
    if (!text)
        return text.error();
    auto version = fromJson(*text, (versionsFolder() / name).string());
    if (!version)
        return version.error();
    // What it is going to replace is known now, though it may not be understood.
    if (const auto current = m_files.read(sessionFile()))
        m_knownHash = hashText(*current);
    OpenedSession opened;
    opened.session = std::move(*version);
    opened.notes = unknownModuleSentences(opened.session);
    findUnsaved(opened);
    return opened;
}

std::string storedPath(const fs::path& file, const fs::path& sessionFolder) {
    std::error_code error;
    const auto relative = file.lexically_relative(fs::absolute(sessionFolder, error).lexically_normal());
    return relative.empty() || *relative.begin() == ".." ? file.string() : relative.string();
}

fs::path resolvePath(const SourceFile& file, const fs::path& sessionFolder) {
    const fs::path path(file.path);
    return path.is_absolute() ? path : sessionFolder / path;
}

ProtectedFiles sourcesOf(const Session& session, const fs::path& sessionFolder) {
    ProtectedFiles sources;
    for (const auto& file : session.files)
        sources.add(resolvePath(*file, sessionFolder));
    return sources;
}

} // namespace cask::session
