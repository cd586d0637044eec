// The open session: its history, its folder, what is selected.
#pragma once

#include <QObject>
#include <QStringList>
#include <QTimer>

#include <algorithm>
#include <array>
#include <core/base/stage.h>
#include <core/project/audio_copies.h>
#include <core/project/intake_files.h>
#include <core/session/history.h>
#include <core/session/session_store.h>
#include <filesystem>
#include <memory>
#include <optional>

namespace cask::app {

using session::Id;

/// The stages that have a bench, in the order of the Board.
inline constexpr std::array kStages = {Stage::Intake, Stage::Hits, Stage::Balance, Stage::Clean, Stage::Tone};
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

    /// An edit with its name; edits with the same merge key in a row are one step until endMerge().
    void edit(session::Session next, const QString& label, const QString& mergeKey = {});
    void endMerge() { m_history->endMerge(); }
    void undo();
    void redo();
    [[nodiscard]] QString undoLabel() const { return QString::fromStdString(m_history->undoLabel()); }
    [[nodiscard]] QString redoLabel() const { return QString::fromStdString(m_history->redoLabel()); }

    /// A new, empty session in a folder of the program's own until it is saved under a name.
    void startUntitled();
    /// False with a sentence in `problem` when there is nothing to open; then the open session stays.
    bool open(const std::filesystem::path& folder, QString& problem);
    /// Saves where it is. REQUIRES: not untitled.
    bool save(QString& problem);
    /// Saves under a new name; sound files are linked, except those that have been copied beside it.
    bool saveAs(const std::filesystem::path& folder, const project::AudioCopies& copies, QString& problem);
    /// The session folder that a name stands for: it ends in .cask.
    [[nodiscard]] static std::filesystem::path folderFor(const std::filesystem::path& wanted);
    /// Forgets unsaved work: closing without saving was chosen.
    void discardUnsaved();
    /// Work that was not saved when the program last ended, if the opened session has some.
    [[nodiscard]] const std::optional<session::Session>& recovered() const { return m_recovered; }
    void takeRecovered();
    void dropRecovered();

    /// Takes in files and folders; sentences about what was left out are in notes().
    void import(const QStringList& paths);
    /// The second half of import(), for a scan that was made elsewhere.
    void takeIn(const project::IntakeScan& scan, const std::vector<std::filesystem::path>& dropped);
    /// A file that was missing has been found elsewhere; others that were in the same folder are looked for
    /// there too.
    void relink(Id file, const QString& path);

    [[nodiscard]] Id selected() const { return m_selected; }
    [[nodiscard]] Stage stage() const { return m_stage; }
    void select(Id elementOrBus);
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
    void replace(session::Session session, std::filesystem::path folder, bool isUntitled);
    void touched();
    void autosave();
    void keepSelectionValid();

    std::unique_ptr<session::History> m_history;
    std::unique_ptr<session::SessionStore> m_store;
    bool m_isUntitled = true;
    std::optional<session::Session> m_recovered;
    Id m_selected = session::kNoId;
    Stage m_stage = Stage::Intake;
    QStringList m_notes;
    QTimer m_autosaveTimer;
};

/// Folder in which untitled sessions live until they are saved.
[[nodiscard]] std::filesystem::path untitledFolder();

} // namespace cask::app
