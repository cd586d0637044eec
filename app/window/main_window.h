// The window: head line, Board, bench, Hit Strip; pages; files dropped on it.
#pragma once

#include "app/models/desk.h"
#include "app/models/freeze_model.h"
#include "app/models/reference_model.h"

#include <QMainWindow>
#include <QPointer>

#include <core/session/recipe.h>

class QAction;
class QLabel;
class QMenu;
class QProgressBar;
class QPushButton;
class QStackedWidget;

namespace cask::app {

class Bench;
class Board;
class PatternSheet;
class HeadLine;
class HitStrip;
class FindingsPanel;
class NoticeRow;
class ProofPage;
class QuickPage;
class ShelfPage;

class MainWindow : public QMainWindow {
    Q_OBJECT

  public:
    explicit MainWindow(engine::DeviceOpener opener = engine::openDevice);
    ~MainWindow() override;

    [[nodiscard]] Document& document() { return m_document; }
    [[nodiscard]] Analyst& analyst() { return m_analyst; }
    [[nodiscard]] HitModel& hits() { return m_hits; }
    [[nodiscard]] FindingModel& findings() { return m_findings; }
    [[nodiscard]] ToneModel& tones() { return m_tones; }
    [[nodiscard]] Playback& playback() { return *m_playback; }
    [[nodiscard]] Bench& bench() { return *m_bench; }
    [[nodiscard]] Board& board() { return *m_board; }
    [[nodiscard]] HeadLine& headLine() { return *m_headLine; }
    [[nodiscard]] HitStrip& strip() { return *m_strip; }
    [[nodiscard]] FindingsPanel& findingsPanel() { return *m_findingsPanel; }
    [[nodiscard]] ProofPage& proof() { return *m_proof; }
    [[nodiscard]] QuickPage& quick() { return *m_quick; }
    [[nodiscard]] ShelfPage& shelf() { return *m_shelf; }
    [[nodiscard]] NoticeRow& notice() { return *m_notice; }
    [[nodiscard]] ReferenceModel& references() { return m_references; }

    bool openSession(const std::filesystem::path& folder);
    void openDemo();
    /// Something long goes on in the background, other than measuring.
    [[nodiscard]] bool isWorking() const { return !m_jobs.empty(); }
    /// Looks at files and folders in the background and takes in what can be.
    void takeInFiles(const QStringList& paths);
    /// Several files are shown on the kit sheet before anything is made of them. Off, they are imported as
    /// they are found.
    bool asksBeforeImport = true;
    /// Bench, Proof, quick sheet.
    void showPage(int page);
    /// A MIDI file, before a kit plays it.
    void showPatternSheet(const QString& file);
    [[nodiscard]] PatternSheet* patternSheet() const;
    /// Tests answer instead of a dialog.
    std::function<QString(const QString& title)> askForSaveName;
    enum class CloseChoice { Save, Discard, Stay };
    std::function<CloseChoice()> askBeforeClosing;
    /// Tests answer instead of the small box that asks for a name.
    std::function<QString(const QString& title, const QString& current)> askForName;

  public slots:
    void newSession();
    void chooseSession();
    void chooseFiles();
    void chooseFolderToImport();
    void choosePattern();
    void save();
    void saveAs();

  protected:
    void closeEvent(QCloseEvent* event) override;
    void changeEvent(QEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void keyReleaseEvent(QKeyEvent* event) override;
    void moveEvent(QMoveEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

  private:
    /// Of the keys that are held to hear something else.
    void letGo();
    void buildMenus();
    void buildSessionMenu();
    void buildEditMenu();
    void buildHearMenu();
    void buildViewMenu();
    void refreshActions();
    void refreshRecent();
    void refreshStyles();
    void remember(const std::filesystem::path& folder);
    void refreshProgress();
    /// Work off the control thread, with progress and stop. It returns what is then done with its result,
    /// here.
    using Finish = std::function<void()>;
    void runJob(const QString& title, std::function<Finish(const CancelToken&, const ProgressFn&)> work);
    /// What about the session wants a decision first.
    void refreshNotice();
    void showKitSheet(const project::IntakeScan& scan, const std::vector<std::filesystem::path>& dropped);
    void offerOtherTakes(const session::KitSheet& sheet, int taken,
                         const std::vector<std::filesystem::path>& dropped);
    void relinkInBackground(Id file, const QString& path);
    [[nodiscard]] bool mayLeave();
    void setThemeKind(int kind);
    void chooseDevice();
    void showKeys();
    void addSoloActions(QMenu* menu);
    void addMonitorActions(QMenu* menu);
    void addStateActions(QMenu* menu);
    void keepState();
    void addTransportActions(QMenu* menu);
    void addZoomActions(QMenu* menu);
    /// Of the tempo there; two seconds without one.
    [[nodiscard]] double barLengthS(double atS) const;
    /// From the first to the last selected hit, else the loop, else the section at the playhead; says so
    /// when there is none.
    [[nodiscard]] std::optional<std::pair<double, double>> selectedStretch();
    void loopSelected();
    void locateTyped();
    /// Near the playhead; says so when there is none.
    [[nodiscard]] const session::Marker* markerHere();
    void jumpMarker(int direction);
    /// Of all that are selected.
    void toggleSolo(bool isOnly);
    void toggleMute();
    void toggleHeard(const std::vector<Id>& owners, bool solos);
    /// What can be done with the selected elements and buses: copy, paste, recipes, links, rows.
    void addSelectionActions(QMenu* menu);
    void fillBoardMenu(QMenu& menu);
    void copyChain(bool isOfStageOnly);
    void pasteChain();
    void showRecipes();
    /// Asks for a name, and whether one that is there is replaced.
    void saveRecipe(session::Recipe recipe);
    /// The selected element or bus becomes a file and an element; in its place: it is muted.
    void bounceSelected(bool replaces);
    /// Freezes the selected element or bus, or thaws it when it is played from its render.
    void freezeSelected();
    void playPattern(const PatternSheet& sheet, const QString& name);
    void linkSelected();
    void selectBusMembers();
    void withName(const QString& title, const QString& current,
                  const std::function<void(const QString&)>& take);
    void addBus();
    /// Of every close microphone; asks for the peak.
    void trimToPeak();
    void renameSelected();
    void removeSelected();
    void beginSection();
    void renameSection();
    void jumpSection(int direction);
    void saveWindowState();

    Document m_document;
    Analyst m_analyst;
    std::unique_ptr<Playback> m_playback;
    HitModel m_hits;
    ToneModel m_tones;
    FindingModel m_findings;
    ReferenceModel m_references;
    FreezeModel m_freeze;
    QPointer<PatternSheet> m_patternSheet;
    HeadLine* m_headLine = nullptr;
    Board* m_board = nullptr;
    FindingsPanel* m_findingsPanel = nullptr;
    Bench* m_bench = nullptr;
    ProofPage* m_proof = nullptr;
    QuickPage* m_quick = nullptr;
    ShelfPage* m_shelf = nullptr;
    HitStrip* m_strip = nullptr;
    QStackedWidget* m_pages = nullptr;
    QWidget* m_progressRow = nullptr;
    QLabel* m_progressText = nullptr;
    QProgressBar* m_progress = nullptr;
    NoticeRow* m_notice = nullptr;
    std::vector<std::filesystem::path> m_abandoned; // untitled work found at start, newest first
    std::filesystem::path m_damaged;                // a session that could not be opened, and has a version
    struct OtherTake {
        session::KitSheet sheet;
        int take = 0;
        std::vector<std::filesystem::path> dropped;
    };
    std::vector<OtherTake> m_otherTakes; // found with the one that was imported
    QAction* m_undo = nullptr;
    QAction* m_redo = nullptr;
    QAction* m_copyAudio = nullptr;
    bool m_holdsCompare = false; // by its key
    QAction* m_latchCompare = nullptr;
    QAction* m_bypass = nullptr;
    QMenu* m_recent = nullptr;
    QMenu* m_styles = nullptr;
    struct Job {
        QString title;
        double share = 0;
        CancelToken cancel;
    };
    std::vector<std::shared_ptr<Job>> m_jobs; // under way or waiting, oldest first
    QTimer m_stateTimer;
    JobGroup m_jobGroup; // last: its jobs end before the rest goes
};

} // namespace cask::app
