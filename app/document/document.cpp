#include "app/document/document.h"

#include "app/document/recovery.h"
#include "core/base/utf8.h"
#include "core/session/intake.h"
#include "core/session/spread_edit.h"

#include <QCoreApplication>
#include <QDateTime>
#include <QStandardPaths>

#include <algorithm>

namespace cask::app {
namespace {

namespace fs = std::filesystem;
// At most the last two seconds of work are ever lost: writing takes its part of them.
constexpr int kFirstAutosaveMs = 900;
constexpr int kNextAutosaveMs = 1700;
constexpr std::chrono::milliseconds kLockPatience(300);

fs::path toPath(const QString& text) {
    return fs::path(text.toStdString());
}

/// Paths that hold wherever the session's folder goes.

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
    connect(&m_autosaveTimer, &QTimer::timeout, this, &Document::autosave);
    connect(&m_watcher, &QFileSystemWatcher::fileChanged, this, &Document::checkDisk);
    connect(&m_watcher, &QFileSystemWatcher::directoryChanged, this, &Document::checkDisk);
    startUntitled();
}

Document::~Document() {
    if (m_autosaveTimer.isActive())
        autosave();
}

std::unique_ptr<FolderLock> Document::lockFor(const fs::path& folder, QString& problem) {
    if (m_lock && identityOf(folder) == identityOf(m_store->folder()))
        return std::move(m_lock);
    auto lock = FolderLock::take(folder, kLockPatience);
    if (!lock) {
        problem = QString::fromStdString(lock.error().message);
        return nullptr;
    }
    return std::move(*lock);
}

void Document::replace(session::Session session, session::SessionStore store,
                       std::unique_ptr<FolderLock> lock) {
    m_autosaveTimer.stop();
    m_history = std::make_unique<session::History>(std::move(session));
    m_history->markSaved();
    m_store = std::make_unique<session::SessionStore>(std::move(store));
    m_lock = std::move(lock);
    m_readOnlyReason.clear();
    m_isUntitled = m_store->folder().parent_path() == untitledFolder();
    m_hasChangedOnDisk = m_keepsOverDisk = false;
    m_recovered.clear();
    m_also.clear();
    m_selected = this->session().elements.empty() ? session::kNoId : this->session().elements.front()->id;
    m_notes.clear();
    if (m_lock && !m_lock->caution().empty())
        m_notes << QString::fromStdString(m_lock->caution());
    watchDisk();
}

void Document::startUntitled() {
    static int count = 0; // several within a millisecond
    const auto stamp = QDateTime::currentDateTime().toString(QStringLiteral("yyyyMMdd-HHmmss-zzz")) +
                       QStringLiteral("-%1-%2").arg(QCoreApplication::applicationPid()).arg(++count);
    replace(session::emptySession(),
            session::SessionStore(diskFileSystem(), untitledFolder() / (stamp.toStdString() + ".cask")),
            nullptr);
    emit opened();
    emit notesChanged();
    emit savedStateChanged();
}

bool Document::open(const fs::path& folder, QString& problem) {
    std::error_code error;
    const fs::path absolute =
        fs::absolute(fs::is_regular_file(folder, error) ? folder.parent_path() : folder, error);
    session::SessionStore store(diskFileSystem(), absolute);
    auto opened = store.open();
    return show(std::move(store), std::move(opened), problem);
}

bool Document::openVersion(const fs::path& folder, const std::string& version, QString& problem) {
    session::SessionStore store(diskFileSystem(), fs::absolute(folder));
    auto opened = store.openVersion(version);
    if (!show(std::move(store), std::move(opened), problem))
        return false;
    m_history->markUnsaved();
    emit savedStateChanged();
    return true;
}

std::optional<std::string> Document::versionToOpen(const fs::path& folder) {
    return session::SessionStore(diskFileSystem(), folder).newestReadableVersion();
}

bool Document::show(session::SessionStore store, Result<session::OpenedSession> opened, QString& problem) {
    if (!opened) {
        problem = QString::fromStdString(opened.error().message);
        return false;
    }
    if (m_autosaveTimer.isActive()) // what is open now stays safe until it is decided on
        autosave();
    QString whyNot;
    auto lock = lockFor(store.folder(), whyNot);
    if (lock) { // the state may be another one since: now it stays
        if (auto again = store.open())
            *opened = std::move(*again);
    }
    replace(std::move(opened->session), std::move(store), std::move(lock));
    if (!whyNot.isEmpty())
        m_readOnlyReason = whyNot + tr(" It is open here to read; to change it, save it under another name.");
    else
        m_recovered = std::move(opened->unsaved);
    for (const auto& note : opened->notes)
        m_notes << QString::fromStdString(note);
    emit this->opened();
    emit notesChanged();
    emit savedStateChanged();
    return true;
}

void Document::watchDisk() {
    if (!m_watcher.files().isEmpty())
        m_watcher.removePaths(m_watcher.files());
    if (!m_watcher.directories().isEmpty())
        m_watcher.removePaths(m_watcher.directories());
    if (m_isUntitled)
        return;
    // The file is replaced, not written: the folder tells of that.
    m_watcher.addPath(QString::fromStdString(m_store->folder().string()));
}

void Document::checkDisk() {
    const bool changed = !m_isUntitled && !m_keepsOverDisk && m_store->hasChangedOnDisk();
    if (changed == m_hasChangedOnDisk)
        return;
    m_hasChangedOnDisk = changed;
    emit savedStateChanged();
}

void Document::keepOverDisk() {
    m_keepsOverDisk = true;
    m_hasChangedOnDisk = false;
    m_history->markUnsaved();
    touched();
}

bool Document::save(QString& problem) {
    if (isReadOnly()) {
        problem = m_readOnlyReason;
        return false;
    }
    if (auto saved = m_store->save(session(), m_keepsOverDisk); !saved) {
        problem = QString::fromStdString(saved.error().message) +
                  QStringLiteral(" The session is still open and unsaved.");
        checkDisk();
        return false;
    }
    m_autosaveTimer.stop();
    m_keepsOverDisk = m_hasChangedOnDisk = false;
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

QString Document::whyHeld(const fs::path& folder) const {
    std::error_code ignored;
    if (!fs::exists(folder, ignored) || (m_lock && identityOf(folder) == identityOf(m_store->folder())))
        return {};
    const auto lock = FolderLock::take(folder, kLockPatience);
    return lock ? QString() : QString::fromStdString(lock.error().message);
}

bool Document::saveAs(const fs::path& wanted, const project::TakenFiles& taken, QString& problem) {
    const fs::path folder = folderFor(wanted);
    const fs::path before = m_store->folder();
    const bool wasUntitled = m_isUntitled;
    const auto failed = [&](const std::string& sentence) {
        problem = QString::fromStdString(sentence) + QStringLiteral(" The session was not saved there.");
        return false;
    };
    if (auto made = diskFileSystem().makeFolder(folder); !made)
        return failed(made.error().message);
    QString whyNot;
    auto lock = lockFor(folder, whyNot);
    if (!lock)
        return failed(whyNot.toStdString());
    const bool isSameFolder = identityOf(folder) == identityOf(before);
    session::SessionStore target = isSameFolder ? *m_store : session::SessionStore(diskFileSystem(), folder);
    session::Session s = project::withTakenFiles(session(), before, taken);
    s.name = toUtf8(folder.stem().string());
    if (auto saved = target.save(s, true); !saved) {
        if (isSameFolder)
            m_lock = std::move(lock);
        return failed(saved.error().message);
    }
    if (!isSameFolder && !wasUntitled)
        (void)m_store->dropAutosave(); // it is saved, though elsewhere
    const Id selected = m_selected;
    const bool hasMoreToOffer = !m_recovered.empty(); // nobody has answered it yet
    const auto oldLock = std::move(m_lock);           // held until its folder is gone
    replace(std::move(s), std::move(target), std::move(lock));
    m_selected = selected;
    if (wasUntitled) { // its work is saved under the new name now; what was measured goes with it
        std::error_code ignored;
        if (!fs::exists(folder / "cache", ignored))
            fs::rename(before / "cache", folder / "cache", ignored);
        if (!hasMoreToOffer && !project::playsFrom(this->session(), folder, before))
            fs::remove_all(before, ignored);
    }
    emit opened();
    emit notesChanged();
    emit savedStateChanged();
    return true;
}

void Document::discardUnsaved() {
    m_autosaveTimer.stop();
    if (!isSaved() && !isReadOnly()) {
        autosave();
        (void)m_store->refuseAutosave();
    }
    if (m_isUntitled)
        trimUntitled();
    m_history->markSaved();
}

void Document::takeRecovered() {
    if (m_recovered.empty() || isReadOnly())
        return;
    const auto work = m_recovered.front();
    m_recovered.erase(m_recovered.begin());
    edit(work.session, tr("Restore unsaved work"));
    autosave(); // safe under its own name before the old one is put away
    if (!isSaved() && !diskFileSystem().exists(m_store->autosaveFile()))
        return; // it could not be written: the old one stays, and is offered again
    if (auto settled = m_store->settle(work); !settled)
        addNote(QString::fromStdString(settled.error().message));
}

void Document::dropRecovered() {
    if (m_recovered.empty() || isReadOnly())
        return;
    if (auto settled = m_store->settle(m_recovered.front()); !settled)
        addNote(QString::fromStdString(settled.error().message));
    m_recovered.erase(m_recovered.begin());
}

void Document::autosave() {
    m_autosaveTimer.stop();
    if (isReadOnly())
        return;
    if (isSaved()) { // all was undone: nothing is left to be offered
        (void)m_store->dropAutosave();
        return;
    }
    const auto tell = [this](const Error& error) {
        addNote(QString::fromStdString(error.message) + tr(" Unsaved work is not protected at the moment."));
    };
    if (!m_lock) { // an untitled session that is written for the first time
        auto lock = m_store->lock();
        if (!lock)
            return tell(lock.error());
        m_lock = std::move(*lock);
    }
    if (auto saved = m_store->autosave(session()); !saved)
        tell(saved.error());
    m_sinceAutosave.start();
}

void Document::keepSelectionValid() {
    if (session().output(m_selected) == nullptr)
        m_selected = session().elements.empty() ? session::kNoId : session().elements.front()->id;
    std::erase_if(m_also, [&](Id id) { return id == m_selected || session().output(id) == nullptr; });
}

void Document::touched() {
    keepSelectionValid();
    if (isSaved())
        autosave();
    else if (!m_autosaveTimer.isActive()) // not started anew: who goes on editing is saved all the same
        m_autosaveTimer.start(m_sinceAutosave.isValid() && m_sinceAutosave.elapsed() < kNextAutosaveMs
                                  ? kNextAutosaveMs
                                  : kFirstAutosaveMs);
    emit changed();
    emit savedStateChanged();
}

std::vector<Id> Document::followers() const {
    std::vector<Id> all;
    for (const Id id : selection())
        for (const Id one : session::linkedWith(session(), id))
            all.push_back(one);
    all.insert(all.end(), m_also.begin(), m_also.end());
    std::sort(all.begin(), all.end());
    all.erase(std::unique(all.begin(), all.end()), all.end());
    std::erase(all, m_selected);
    return all;
}

void Document::listen(const std::function<session::Session(session::Session)>& change) {
    m_history->changeEverywhere(change);
    emit changed();
}

void Document::edit(session::Session next, const QString& label, const QString& mergeKey, Spreads spreads) {
    if (isReadOnly()) {
        addNote(m_readOnlyReason);
        emit changed(); // whoever shows the value shows the old one again
        return;
    }
    QString said = label;
    if (const auto others = spreads == Spreads::Yes ? followers() : std::vector<Id>();
        !others.empty() && session::isEditOf(session(), next, m_selected)) {
        auto spread = session::spreadEdit(session(), next, m_selected, others);
        if (!(spread == next)) // what is each one's own stays
            said = tr("%1 and %2 more").arg(label).arg(others.size());
        next = std::move(spread);
    }
    if (m_history->apply(std::move(next), said.toStdString(), mergeKey.toStdString()))
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

void Document::goToStep(std::size_t step) {
    if (step == m_history->at())
        return;
    m_history->goTo(step);
    touched();
}

void Document::select(Id id) {
    if ((id == m_selected && m_also.empty()) || session().output(id) == nullptr)
        return;
    m_selected = id;
    m_also.clear();
    emit selectionChanged();
}

std::vector<Id> Document::selection() const {
    std::vector<Id> all;
    if (m_selected != session::kNoId)
        all.push_back(m_selected);
    all.insert(all.end(), m_also.begin(), m_also.end());
    return all;
}

bool Document::isInSelection(Id id) const {
    return id == m_selected || std::find(m_also.begin(), m_also.end(), id) != m_also.end();
}

void Document::selectAlso(const std::vector<Id>& others) {
    m_also = others;
    keepSelectionValid();
    emit selectionChanged();
}

void Document::toggleSelected(Id id) {
    if (session().output(id) == nullptr)
        return;
    if (id != m_selected) {
        if (std::erase(m_also, id) == 0)
            m_also.push_back(id);
    } else if (!m_also.empty()) {
        m_selected = m_also.front();
        m_also.erase(m_also.begin());
    }
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
