// The open session: its history, its folder, what is selected.
#pragma once

#include <QElapsedTimer>
#include <QFileSystemWatcher>
#include <QObject>
#include <QStringList>
#include <QTimer>

#include <algorithm>
#include <array>
#include <core/base/stage.h>
#include <core/project/intake_files.h>
#include <core/project/taken_files.h>
#include <core/session/history.h>
#include <core/session/kit_sheet.h>
#include <core/session/session_store.h>
#include <filesystem>
#include <functional>
#include <memory>
#include <optional>

namespace cask::app {

using session::Id;

/// The stages that have a bench, in the order of the Board.
inline constexpr std::array kStages = {Stage::Intake, Stage::Hits,  Stage::Balance, Stage::Clean,
                                       Stage::Tone,   Stage::Punch, Stage::Drive,   Stage::Layers};
/// Its place on the Board.
[[nodiscard]] constexpr int placeOf(Stage stage) {
    return static_cast<int>(std::find(kStages.begin(), kStages.end(), stage) - kStages.begin());
}
[[nodiscard]] QString stageName(Stage stage);

/// Control thread only. All edits of the window go through here.
class Document : public QObject {
    Q_OBJECT

  public:
    explicit Document(QObject* parent = nullptr);
    ~Document() override;

    [[nodiscard]] const session::Session& session() const { return m_history->current(); }
    [[nodiscard]] std::shared_ptr<const session::Session> snapshot() const { return m_history->snapshot(); }
    [[nodiscard]] const std::filesystem::path& folder() const { return m_store->folder(); }
    [[nodiscard]] const session::SessionStore& store() const { return *m_store; }
    [[nodiscard]] bool isUntitled() const { return m_isUntitled; }
    [[nodiscard]] bool isSaved() const { return m_history->isSaved(); }
    /// Another program is changing this session, or its disk can't be written: it is open to read. Edits do
    /// nothing but say so; saving under another name makes it one's own.
    [[nodiscard]] bool isReadOnly() const { return !m_readOnlyReason.isEmpty(); }
    [[nodiscard]] const QString& readOnlyReason() const { return m_readOnlyReason; }
    /// Another program has written session.json since it was opened or saved here.
    [[nodiscard]] bool hasChangedOnDisk() const { return m_hasChangedOnDisk; }
    /// Looks at the disk, where nothing else tells of a change.
    void checkDisk();
    /// What is open here wins when it is saved; the other state is then kept among the versions.
    void keepOverDisk();

    /// An edit with its name; edits with the same merge key in a row are one step until endMerge(). One of
    /// the selected element alone is made on all that are selected with it or linked to any of them
    /// (session::spreadEdit), unless it is meant for that one only.
    enum class Spreads { Yes, No };
    void edit(session::Session next, const QString& label, const QString& mergeKey = {},
              Spreads spreads = Spreads::Yes);
    /// Solo and mute: no step of the history, and nothing that would have to be saved. It holds whatever is
    /// undone.
    void listen(const std::function<session::Session(session::Session)>& change);
    void endMerge() { m_history->endMerge(); }
    void undo();
    void redo();
    /// Every step of the history by name, the first empty; and the one that is current.
    [[nodiscard]] std::vector<std::string> steps() const { return m_history->labels(); }
    [[nodiscard]] std::size_t step() const { return m_history->at(); }
    void goToStep(std::size_t step);
    [[nodiscard]] QString undoLabel() const { return QString::fromStdString(m_history->undoLabel()); }
    [[nodiscard]] QString redoLabel() const { return QString::fromStdString(m_history->redoLabel()); }

    /// A new, empty session in a folder of the program's own until it is saved under a name.
    void startUntitled();
    /// False with a sentence in `problem` when there is nothing to open; then the open session stays.
    bool open(const std::filesystem::path& folder, QString& problem);
    /// The same with an earlier state, where session.json can't be read: saving makes it the session.
    bool openVersion(const std::filesystem::path& folder, const std::string& version, QString& problem);
    /// The newest earlier state of a session that open() failed on, if there is one that can be read.
    [[nodiscard]] static std::optional<std::string> versionToOpen(const std::filesystem::path& folder);
    /// Saves where it is. REQUIRES: not untitled.
    bool save(QString& problem);
    /// Saves under a new name with the files that were taken along (project::takeFilesAlong() from folder()):
    /// all others stay where they are.
    bool saveAs(const std::filesystem::path& folder, const project::TakenFiles& taken, QString& problem);
    /// Why the session can't be saved there now: another program holds what lies there. Empty: it can.
    [[nodiscard]] QString whyHeld(const std::filesystem::path& folder) const;
    /// The session folder that a name stands for: it ends in .cask.
    [[nodiscard]] static std::filesystem::path folderFor(const std::filesystem::path& wanted);
    /// Closing without saving was chosen: what was not saved is kept among the versions and offered no
    /// longer.
    void discardUnsaved();
    /// Work that was not saved when a program ended, if the opened session has some: the newest. It stays on
    /// the disk, whatever is saved, until it is taken or dropped.
    [[nodiscard]] const session::UnsavedWork* recovered() const {
        return m_recovered.empty() ? nullptr : &m_recovered.front();
    }
    void takeRecovered();
    void dropRecovered();

    /// Takes in files and folders; sentences about what was left out are in notes().
    void import(const QStringList& paths);
    /// The second half of import(), for a scan that was made elsewhere.
    void takeIn(const project::IntakeScan& scan, const std::vector<std::filesystem::path>& dropped);
    /// Makes elements of a sheet, of one take or of all (-1).
    void takeSheet(const session::KitSheet& sheet, int take,
                   const std::vector<std::filesystem::path>& dropped);
    /// A file that was missing has been found elsewhere; others that were in the same folder are looked for
    /// there too.
    void relink(Id file, const QString& path);
    /// The second half of relink(), for files that were looked at elsewhere.
    void takeRelinked(const std::vector<session::SourceFile>& files, const QStringList& problems);

    [[nodiscard]] Id selected() const { return m_selected; }
    [[nodiscard]] Stage stage() const { return m_stage; }
    /// That one alone.
    void select(Id elementOrBus);
    /// All that are chosen together, selected() first. Edits of one value change all of them.
    [[nodiscard]] std::vector<Id> selection() const;
    [[nodiscard]] bool isInSelection(Id elementOrBus) const;
    /// Chooses others with the selected one; those of no such id are left out.
    void selectAlso(const std::vector<Id>& others);
    /// One more, or one less; the selected one goes only when another takes its place.
    void toggleSelected(Id elementOrBus);
    void setStage(Stage stage);

    /// Sentences about the session as a whole: files left out, versions taken instead.
    [[nodiscard]] const QStringList& notes() const { return m_notes; }
    void addNote(const QString& sentence);
    void clearNotes();

  signals:
    /// The session changed, by an edit or by undo.
    void changed();
    /// Another session is open: everything about files is new.
    void opened();
    void selectionChanged();
    void notesChanged();
    void savedStateChanged();

  private:
    /// The right to write in a folder; empty, with the reason in `problem`, when there is none.
    [[nodiscard]] std::unique_ptr<FolderLock> lockFor(const std::filesystem::path& folder, QString& problem);
    bool show(session::SessionStore store, Result<session::OpenedSession> opened, QString& problem);
    void replace(session::Session session, session::SessionStore store, std::unique_ptr<FolderLock> lock);
    void touched();
    /// All that an edit of the selected one is made on, without it.
    [[nodiscard]] std::vector<Id> followers() const;
    void autosave();
    void watchDisk();
    void keepSelectionValid();

    std::unique_ptr<session::History> m_history;
    std::unique_ptr<session::SessionStore> m_store;
    std::unique_ptr<FolderLock> m_lock; // null while it is read only, or untitled and never written
    QString m_readOnlyReason;
    bool m_isUntitled = true;
    bool m_hasChangedOnDisk = false;
    bool m_keepsOverDisk = false;
    std::vector<session::UnsavedWork> m_recovered; // newest first
    QFileSystemWatcher m_watcher;
    Id m_selected = session::kNoId;
    std::vector<Id> m_also; // chosen with it
    Stage m_stage = Stage::Intake;
    QStringList m_notes;
    QTimer m_autosaveTimer;
    QElapsedTimer m_sinceAutosave;
};

/// Folder in which untitled sessions live until they are saved.
[[nodiscard]] std::filesystem::path untitledFolder();

} // namespace cask::app
