#include "app/window/main_window.h"

#include "app/bench/bench.h"
#include "app/bench/layers/layers_bench.h"
#include "app/board/board.h"
#include "app/document/recovery.h"
#include "app/findings/findings_panel.h"
#include "app/proof/proof_page.h"
#include "app/quick/quick_page.h"
#include "app/shelf/shelf_page.h"
#include "app/strip/hit_strip.h"
#include "app/theme/theme.h"
#include "app/widgets/choice_row.h"
#include "app/window/head_line.h"
#include "app/window/notice_row.h"

#include <QCloseEvent>
#include <QDialog>
#include <QDragEnterEvent>
#include <QGuiApplication>
#include <QKeyEvent>
#include <QLabel>
#include <QMenu>
#include <QMimeData>
#include <QProgressBar>
#include <QPushButton>
#include <QScrollArea>
#include <QSettings>
#include <QStackedWidget>
#include <QVBoxLayout>

namespace cask::app {
namespace {

constexpr int kFindingsPx = 224; // six heads, one of them open

} // namespace

MainWindow::MainWindow(engine::DeviceOpener opener)
    : m_analyst(m_document), m_playback(std::make_unique<Playback>(m_document, m_analyst, std::move(opener))),
      m_hits(m_document, m_analyst), m_tones(m_document, m_analyst, m_hits),
      m_findings(m_document, m_analyst, m_hits, m_tones), m_references(m_document, m_analyst, *m_playback),
      m_freeze(m_document, *m_playback), m_jobGroup(m_analyst.pool()) {
    const Desk desk{m_document, m_analyst, *m_playback, m_hits, m_tones, m_findings};
    setAcceptDrops(true);
    setMinimumSize(1100, 700);
    setWindowTitle(QStringLiteral("Ember Cask"));
    m_headLine = new HeadLine(desk, this);
    m_board = new Board(desk, this);
    m_findingsPanel = new FindingsPanel(desk, this);
    m_bench = new Bench(desk, this);
    m_proof = new ProofPage(desk, this);
    m_strip = new HitStrip(desk, this);

    auto* boardScroll = new QScrollArea(this);
    boardScroll->setWidget(m_board);
    boardScroll->setWidgetResizable(true);
    boardScroll->setFrameShape(QFrame::NoFrame);
    boardScroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    boardScroll->setFocusPolicy(Qt::NoFocus);
    boardScroll->setFixedWidth(m_board->width() + 10);
    // The Board is as high as its rows, as far as there is room.
    const auto fitBoard = [this, boardScroll] {
        boardScroll->setMaximumHeight(m_board->sizeHint().height());
    };
    fitBoard();
    for (const auto signal : {&Document::changed, &Document::opened})
        connect(&m_document, signal, boardScroll, fitBoard);
    connect(m_board, &Board::wantsVisible, boardScroll, [boardScroll](const QRect& r) {
        boardScroll->ensureVisible(r.center().x(), r.center().y(), 0, r.height());
    });

    m_pages = new QStackedWidget(this);
    m_pages->addWidget(m_bench);
    m_pages->addWidget(m_proof);
    m_quick = new QuickPage(desk, this);
    m_pages->addWidget(m_quick);
    m_shelf = new ShelfPage(desk, this);
    m_pages->addWidget(m_shelf);

    auto* central = new QWidget(this);
    auto* layout = new QVBoxLayout(central);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    layout->addWidget(m_headLine);
    m_notice = new NoticeRow(central);
    layout->addWidget(m_notice);
    m_progressRow = new QWidget(central);
    auto* progressLayout = new QHBoxLayout(m_progressRow);
    progressLayout->setContentsMargins(12, 4, 12, 4);
    m_progressText = new QLabel(m_progressRow);
    m_progressText->setFont(textFont(13));
    progressLayout->addWidget(m_progressText);
    m_progressRow->hide();
    m_progress = new QProgressBar(m_progressRow);
    m_progress->setTextVisible(false);
    m_progress->setFixedHeight(5);
    m_progress->setRange(0, 1000);
    auto* stop = new QPushButton(tr("Stop"), m_progressRow);
    progressLayout->addWidget(m_progress, 1);
    progressLayout->addWidget(stop);
    auto* middle = new QHBoxLayout;
    middle->setSpacing(0);
    auto* left = new QVBoxLayout;
    left->setSpacing(0);
    left->addWidget(boardScroll, 100);
    left->addWidget(m_findingsPanel, 1);
    middle->addLayout(left);
    middle->addWidget(m_pages, 1);
    layout->addLayout(middle, 1);
    layout->addWidget(m_progressRow);
    layout->addWidget(m_strip);
    setCentralWidget(central);
    m_findingsPanel->setFixedWidth(boardScroll->width());
    m_findingsPanel->setMinimumHeight(kFindingsPx);

    buildMenus();
    connect(stop, &QPushButton::clicked, this, [this] {
        if (m_jobs.empty())
            m_analyst.stop();
        else
            m_jobs.front()->cancel.cancel();
    });
    connect(m_quick, &QuickPage::wantsBench, this, [this](Stage stage) {
        showPage(0);
        m_document.setStage(stage);
    });
    const auto takeSounds = [this](const QStringList& files) {
        showPage(0);
        m_document.setStage(Stage::Layers);
        m_bench->layers().takeSounds(files);
    };
    connect(m_shelf, &ShelfPage::soundTaken, this, takeSounds);
    connect(m_board, &Board::soundsDropped, this, takeSounds);
    connect(&m_headLine->pages(), &ChoiceRow::choiceEdited, this, &MainWindow::showPage);
    connect(m_bench, &Bench::wantsImport, this, &MainWindow::chooseFiles);
    connect(m_bench, &Bench::wantsOpen, this, &MainWindow::chooseSession);
    connect(m_bench, &Bench::wantsDemo, this, &MainWindow::openDemo);
    connect(&m_analyst, &Analyst::progressChanged, this, &MainWindow::refreshProgress);
    for (const auto signal : {&Document::changed, &Document::opened, &Document::savedStateChanged})
        connect(&m_document, signal, this, &MainWindow::refreshActions);
    connect(m_playback.get(), &Playback::headroomChanged, this,
            [this] { m_findings.takeHeadroom(m_playback->headroom()); });
    connect(m_playback.get(), &Playback::comparisonChanged, this, [this] {
        m_latchCompare->setChecked(m_playback->isComparing());
        m_bypass->setChecked(m_playback->isBypassed());
    });
    // A key that is let go over another window is not told to this one.
    connect(qApp, &QGuiApplication::focusWindowChanged, this, &MainWindow::letGo);
    connect(m_board, &Board::wantsMenu, this, [this](const QPoint& at) {
        QMenu menu(this);
        fillBoardMenu(menu);
        menu.exec(at);
    });
    refreshActions();

    const QSettings settings;
    resize(1280, 800);
    restoreGeometry(settings.value(QStringLiteral("window/geometry")).toByteArray());
    m_stateTimer.setSingleShot(true);
    m_stateTimer.setInterval(500);
    connect(&m_stateTimer, &QTimer::timeout, this, &MainWindow::saveWindowState);
    m_abandoned = findAbandonedSessions();
    connect(&m_document, &Document::savedStateChanged, this, &MainWindow::refreshNotice);
    connect(m_findingsPanel, &FindingsPanel::wantsRelink, this, &MainWindow::relinkInBackground);
    refreshNotice();
    m_board->setFocus();
}

MainWindow::~MainWindow() {
    for (const auto& job : m_jobs)
        job->cancel.cancel();
    // What is drawn goes before what it draws: closing still sends events to every widget.
    hide();
    qDeleteAll(findChildren<QDialog*>(QString(), Qt::FindDirectChildrenOnly));
    delete takeCentralWidget();
}

void MainWindow::saveWindowState() {
    QSettings().setValue(QStringLiteral("window/geometry"), saveGeometry());
}

void MainWindow::moveEvent(QMoveEvent*) {
    m_stateTimer.start();
}
void MainWindow::resizeEvent(QResizeEvent*) {
    m_stateTimer.start();
}

void MainWindow::showPage(int page) {
    m_pages->setCurrentIndex(page);
    m_headLine->pages().setChosen(page);
}

void MainWindow::refreshProgress() {
    const bool measures = m_analyst.isBusy();
    m_progressRow->setVisible(measures || !m_jobs.empty());
    if (!m_jobs.empty()) {
        m_progress->setValue(static_cast<int>(1000 * m_jobs.front()->share));
        m_progressText->setText(m_jobs.front()->title);
    } else if (measures) {
        m_progress->setValue(static_cast<int>(1000 * m_analyst.progress()));
        m_progressText->setText(
            tr("Measuring files, %1 of %2 done").arg(m_analyst.filesDone()).arg(m_analyst.filesTotal()));
    }
}

void MainWindow::closeEvent(QCloseEvent* event) {
    if (!mayLeave()) {
        event->ignore();
        return;
    }
    m_playback->stop();
    saveWindowState();
    event->accept();
}

void MainWindow::changeEvent(QEvent* event) {
    if (event->type() == QEvent::ActivationChange && isActiveWindow())
        m_document.checkDisk();
    QMainWindow::changeEvent(event);
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls())
        event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
    QStringList paths;
    for (const auto& url : event->mimeData()->urls())
        if (url.isLocalFile())
            paths << url.toLocalFile();
    event->acceptProposedAction();
    // A session folder is opened, everything else is taken in.
    if (paths.size() == 1 &&
        std::filesystem::exists(std::filesystem::path(paths[0].toStdString()) / "session.json")) {
        if (mayLeave())
            openSession(paths[0].toStdString());
        return;
    }
    const auto isPattern = [](const QString& path) {
        return path.endsWith(QStringLiteral(".mid"), Qt::CaseInsensitive) ||
               path.endsWith(QStringLiteral(".midi"), Qt::CaseInsensitive);
    };
    if (paths.size() == 1 && isPattern(paths[0]))
        showPatternSheet(paths[0]);
    else if (!paths.isEmpty())
        takeInFiles(paths);
}

void MainWindow::letGo() {
    m_references.setHeard(false);
    if (std::exchange(m_holdsCompare, false))
        m_playback->setComparing(false);
}

void MainWindow::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_C && event->modifiers() == Qt::NoModifier) {
        if (!event->isAutoRepeat()) {
            m_holdsCompare = true;
            m_playback->setComparing(true);
        }
        return;
    }
    if (event->key() == Qt::Key_E && event->modifiers() == Qt::NoModifier) {
        if (!event->isAutoRepeat())
            m_references.setHeard(true);
        return;
    }
    QMainWindow::keyPressEvent(event);
}

void MainWindow::keyReleaseEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_C && !event->isAutoRepeat()) {
        m_holdsCompare = false;
        if ((event->modifiers() & Qt::ShiftModifier) == 0)
            m_playback->setComparing(false);
        return;
    }
    if (event->key() == Qt::Key_E && !event->isAutoRepeat()) {
        m_references.setHeard(false);
        return;
    }
    QMainWindow::keyReleaseEvent(event);
}

} // namespace cask::app
