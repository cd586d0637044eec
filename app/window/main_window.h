// The window: head line, Board, bench, Hit Strip; pages; files dropped on it.
#pragma once

#include "app/document/desk.h"

#include <QMainWindow>

class QAction;
class QLabel;
class QMenu;
class QProgressBar;
class QPushButton;
class QStackedWidget;

namespace cask::app {

class Bench;
class Board;
class HeadLine;
class HitStrip;
class NotesPanel;
class ProofPage;

class MainWindow : public QMainWindow {
    Q_OBJECT

  public:
    explicit MainWindow(engine::DeviceOpener opener = engine::openDevice);
    ~MainWindow() override;

    [[nodiscard]] Document& document() { return m_document; }
    [[nodiscard]] Analyst& analyst() { return m_analyst; }
    [[nodiscard]] Playback& playback() { return *m_playback; }
    [[nodiscard]] Bench& bench() { return *m_bench; }
    [[nodiscard]] Board& board() { return *m_board; }
    [[nodiscard]] HeadLine& headLine() { return *m_headLine; }
    [[nodiscard]] HitStrip& strip() { return *m_strip; }
    [[nodiscard]] NotesPanel& notes() { return *m_notes; }
    [[nodiscard]] ProofPage& proof() { return *m_proof; }

    bool openSession(const std::filesystem::path& folder);
    void openDemo();
    void showPage(int page);
    /// Tests answer instead of a dialog.
    std::function<QString(const QString& title)> askForSaveName;
    enum class CloseChoice { Save, Discard, Stay };
    std::function<CloseChoice()> askBeforeClosing;

  public slots:
    void newSession();
    void chooseSession();
    void chooseFiles();
    void save();
    void saveAs();

  protected:
    void closeEvent(QCloseEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void keyReleaseEvent(QKeyEvent* event) override;
    void moveEvent(QMoveEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

  private:
    void buildMenus();
    void buildSessionMenu();
    void buildEditMenu();
    void buildHearMenu();
    void buildViewMenu();
    void refreshActions();
    void refreshRecent();
    void remember(const std::filesystem::path& folder);
    void refreshProgress();
    void offerRecovery();
    [[nodiscard]] bool mayLeave();
    void setThemeKind(int kind);
    void chooseDevice();
    void showKeys();
    void toggleOutput(bool alone);
    void jumpSection(int direction);
    void saveWindowState();

    Document m_document;
    Analyst m_analyst;
    std::unique_ptr<Playback> m_playback;
    HeadLine* m_headLine = nullptr;
    Board* m_board = nullptr;
    NotesPanel* m_notes = nullptr;
    Bench* m_bench = nullptr;
    ProofPage* m_proof = nullptr;
    HitStrip* m_strip = nullptr;
    QStackedWidget* m_pages = nullptr;
    QWidget* m_progressRow = nullptr;
    QLabel* m_progressText = nullptr;
    QProgressBar* m_progress = nullptr;
    QWidget* m_recoveryRow = nullptr;
    QLabel* m_recoveryText = nullptr;
    std::filesystem::path m_abandoned; // untitled work found at start
    QAction* m_undo = nullptr;
    QAction* m_redo = nullptr;
    QAction* m_copyAudio = nullptr;
    QAction* m_latchCompare = nullptr;
    QMenu* m_recent = nullptr;
    QTimer m_stateTimer;
};

} // namespace cask::app
