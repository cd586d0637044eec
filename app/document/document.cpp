#include "app/document/document.h"

#include "core/session/intake.h"

#include <QDateTime>
#include <QStandardPaths>

#include <algorithm>

namespace cask::app {
namespace {

namespace fs = std::filesystem;
constexpr int kAutosaveAfterMs = 1500;

fs::path toPath(const QString& text) {
    return fs::path(text.toStdString());
}

/// Paths that hold wherever the session's folder goes.
session::Session withAbsolutePaths(session::Session s, const fs::path& folder) {
    for (auto& file : s.files) {
        const auto path = session::resolvePath(*file, folder);
        file.edit([&](session::SourceFile& f) { f.path = path.string(); });
    }
    return s;
}

} // namespace

QString stageName(Stage stage) {
    const auto id = stageId(stage);
    QString name = QString::fromLatin1(id.data(), static_cast<int>(id.size()));
    name[0] = name[0].toUpper();
    return name;
}

fs::path untitledFolder() {
    return toPath(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation)) / "untitled";
}

Document::Document(QObject* parent) : QObject(parent) {
    m_autosaveTimer.setSingleShot(true);
    m_autosaveTimer.setInterval(kAutosaveAfterMs);
    connect(&m_autosaveTimer, &QTimer::timeout, this, &Document::autosave);
    startUntitled();
}

Document::~Document() {
    if (m_autosaveTimer.isActive())
        autosave();
}

void Document::replace(session::Session session, fs::path folder, bool isUntitled) {
    m_autosaveTimer.stop();
    m_history = std::make_unique<session::History>(std::move(session));
    m_history->markSaved();
    m_store = std::make_unique<session::SessionStore>(diskFileSystem(), std::move(folder));
    m_isUntitled = isUntitled;
    m_recovered.reset();
    m_selected = this->session().elements.empty() ? session::kNoId : this->session().elements.front()->id;
    m_notes.clear();
}

void Document::startUntitled() {
    const auto stamp =
        QDateTime::currentDateTime().toString(QStringLiteral("yyyyMMdd-HHmmss-zzz")).toStdString();
    replace(session::emptySession(), untitledFolder() / (stamp + ".cask"), true);
    emit opened();
    emit notesChanged();
    emit savedStateChanged();
}

bool Document::open(const fs::path& folder, QString& problem) {
    std::error_code error;
    const fs::path absolute =
        fs::absolute(fs::is_regular_file(folder, error) ? folder.parent_path() : folder, error);
    auto result = session::SessionStore(diskFileSystem(), absolute).open();
    if (!result) {
        problem = QString::fromStdString(result.error().message);
        return false;
    }
    const bool isUntitled = absolute.parent_path() == untitledFolder();
    replace(std::move(result->session), absolute, isUntitled);
    m_recovered = std::move(result->unsaved);
    for (const auto& note : result->notes)
        m_notes << QString::fromStdString(note);
    emit opened();
    emit notesChanged();
    emit savedStateChanged();
    return true;
}

bool Document::save(QString& problem) {
    if (auto saved = m_store->save(session()); !saved) {
        problem = QString::fromStdString(saved.error().message) +
                  QStringLiteral(" The session is still open and unsaved.");
        return false;
    }
    m_autosaveTimer.stop();
    m_history->markSaved();
    emit savedStateChanged();
    return true;
}

fs::path Document::folderFor(const fs::path& wanted) {
    fs::path folder = wanted;
    if (folder.extension() != ".cask")
        folder += ".cask";
    return folder;
}

bool Document::saveAs(const fs::path& wanted, const project::AudioCopies& copies, QString& problem) {
    const fs::path folder = folderFor(wanted);
    const fs::path before = m_store->folder();
    const bool wasUntitled = m_isUntitled;
    session::SessionStore target(diskFileSystem(), folder);
    session::Session s = withAbsolutePaths(session(), before);
    for (auto& file : s.files)
        if (const auto it = copies.paths.find(file->id); it != copies.paths.end())
            file.edit([&](session::SourceFile& f) { f.path = it->second; });
    s.name = folder.stem().string();
    if (auto saved = target.save(s); !saved) {
        problem = QString::fromStdString(saved.error().message) +
                  QStringLiteral(" The session was not saved there.");
        return false;
    }
    const Id selected = m_selected;
    replace(std::move(s), folder, false);
    m_selected = selected;
    if (wasUntitled) { // its work is saved under the new name now
        std::error_code ignored;
        fs::remove_all(before, ignored);
    }
    emit opened();
    emit notesChanged();
    emit savedStateChanged();
    return true;
}

void Document::discardUnsaved() {
    m_autosaveTimer.stop();
    (void)m_store->dropAutosave();
    if (m_isUntitled) {
        std::error_code ignored;
        fs::remove_all(m_store->folder(), ignored);
    }
    m_history->markSaved();
}

void Document::takeRecovered() {
    if (!m_recovered)
        return;
    auto session = std::move(*m_recovered);
    m_recovered.reset();
    edit(std::move(session), tr("Take up unsaved work"));
}

void Document::dropRecovered() {
    m_recovered.reset();
    (void)m_store->dropAutosave();
}

void Document::autosave() {
    if (isSaved())
        return;
    if (auto saved = m_store->autosave(session()); !saved)
        addNote(QString::fromStdString(saved.error().message) +
                tr(" Unsaved work is not protected at the moment."));
}

void Document::keepSelectionValid() {
    if (session().output(m_selected) == nullptr)
        m_selected = session().elements.empty() ? session::kNoId : session().elements.front()->id;
}

void Document::touched() {
    keepSelectionValid();
    m_autosaveTimer.start();
    emit changed();
    emit savedStateChanged();
}

void Document::edit(session::Session next, const QString& label, const QString& mergeKey) {
    if (m_history->apply(std::move(next), label.toStdString(), mergeKey.toStdString()))
        touched();
}

void Document::undo() {
    if (!m_history->canUndo())
        return;
    m_history->undo();
    touched();
}

void Document::redo() {
    if (!m_history->canRedo())
        return;
    m_history->redo();
    touched();
}

void Document::import(const QStringList& paths) {
    std::vector<fs::path> dropped;
    for (const auto& path : paths)
        dropped.push_back(toPath(path));
    takeIn(project::scanIntake(dropped), dropped);
}

void Document::takeIn(const project::IntakeScan& scan, const std::vector<fs::path>& dropped) {
    for (const auto& sentence : scan.problems)
        m_notes << QString::fromStdString(sentence);
    for (const auto& sentence : scan.warnings)
        m_notes << QString::fromStdString(sentence);
    emit notesChanged();
    if (scan.files.empty())
        return;
    const bool isFirst = session().elements.empty();
    session::Session s = session();
    if (isFirst) {
        s.sampleRateHz = session::commonRate(scan.files);
        if (m_isUntitled && dropped.size() == 1)
            s.name = dropped.front().stem().string();
    }
    const bool rateChanges = s.sampleRateHz != session().sampleRateHz;
    s = session::withFiles(std::move(s), scan.files);
    const Id first = s.elements[session().elements.size()]->id;
    m_selected = first;
    edit(std::move(s),
         scan.files.size() == 1 ? tr("Take in a file") : tr("Take in %1 files").arg(scan.files.size()));
    if (rateChanges)
        emit opened(); // the engine runs at the session's rate
    emit selectionChanged();
}

void Document::relink(Id file, const QString& path) {
    const fs::path found = toPath(path);
    session::Session s = session();
    for (auto& item : s.files) {
        const fs::path old = session::resolvePath(*item, folder());
        const fs::path beside = found.parent_path() / old.filename();
        std::error_code error;
        if (item->id == file)
            item.edit([&](session::SourceFile& f) { f.path = found.string(); });
        else if (!fs::exists(old, error) && fs::exists(beside, error))
            item.edit([&](session::SourceFile& f) { f.path = beside.string(); });
    }
    edit(std::move(s), tr("Find missing file"));
}

void Document::select(Id id) {
    if (id == m_selected || session().output(id) == nullptr)
        return;
    m_selected = id;
    emit selectionChanged();
}

void Document::setStage(Stage stage) {
    if (stage == m_stage)
        return;
    m_stage = stage;
    emit selectionChanged();
}

void Document::addNote(const QString& sentence) {
    if (m_notes.contains(sentence))
        return;
    m_notes << sentence;
    emit notesChanged();
}

void Document::clearNotes() {
    m_notes.clear();
    emit notesChanged();
}

} // namespace cask::app
