// The menus of the main window, and what only they do.
#include "app/bench/balance/balance_bench.h"
#include "app/bench/bench.h"
#include "app/board/board.h"
#include "app/strip/hit_strip.h"
#include "app/theme/theme.h"
#include "app/window/key_list.h"
#include "app/window/main_window.h"
#include "app/window/menu_entry.h"
#include "core/session/edits.h"
#include "core/session/sections.h"

#include <QActionGroup>
#include <QApplication>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QLabel>
#include <QMenuBar>
#include <QSettings>

namespace cask::app {
namespace {

constexpr int kMostRecent = 8;

} // namespace

void MainWindow::buildMenus() {
    buildSessionMenu();
    buildEditMenu();
    buildHearMenu();
    buildViewMenu();
}

void MainWindow::buildSessionMenu() {
    auto* menu = menuBar()->addMenu(tr("&Session"));
    addEntry(menu, tr("New"), QKeySequence::New, this, [this] { newSession(); });
    addEntry(menu, tr("Open\u2026"), QKeySequence::Open, this, [this] { chooseSession(); });
    m_recent = menu->addMenu(tr("Recent"));
    addEntry(menu, tr("Open the demo kit"), {}, this, [this] { openDemo(); });
    menu->addSeparator();
    addEntry(menu, tr("Import files\u2026"), QKeySequence(Qt::CTRL | Qt::Key_I), this,
             [this] { chooseFiles(); });
    addEntry(menu, tr("Import a folder\u2026"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_I), this,
             [this] { chooseFolderToImport(); });
    addEntry(menu, tr("Play a MIDI file\u2026"), {}, this, [this] { choosePattern(); });
    menu->addSeparator();
    addEntry(menu, tr("Save"), QKeySequence::Save, this, [this] { save(); });
    addEntry(menu, tr("Save as\u2026"), QKeySequence::SaveAs, this, [this] { saveAs(); });
    m_copyAudio = menu->addAction(tr("Copy sound files into the session on Save as"));
    m_copyAudio->setCheckable(true);
    m_copyAudio->setChecked(QSettings().value(QStringLiteral("session/copies_audio"), false).toBool());
    connect(m_copyAudio, &QAction::toggled, this,
            [](bool on) { QSettings().setValue(QStringLiteral("session/copies_audio"), on); });
    menu->addSeparator();
    addEntry(menu, tr("Quit"), QKeySequence::Quit, this, [this] { close(); });
    refreshRecent();
}

void MainWindow::buildEditMenu() {
    auto* menu = menuBar()->addMenu(tr("&Edit"));
    m_undo = everywhere(addEntry(menu, tr("Undo"), QKeySequence::Undo, this, [this] { m_document.undo(); }));
    m_redo = everywhere(addEntry(menu, tr("Redo"), QKeySequence::Redo, this, [this] { m_document.redo(); }));
    addStateActions(menu);
    menu->addSeparator();
    auto* selecting = menu->addMenu(tr("Select hits"));
    connect(selecting, &QMenu::aboutToShow, this, [this, selecting] {
        selecting->clear();
        fillSelectionMenu(*selecting, {m_document, m_analyst, *m_playback, m_hits, m_tones, m_findings},
                          m_playback->positionS());
    });
    addEntry(menu, tr("Select all hits of the element"), QKeySequence::SelectAll, this,
             [this] { m_hits.select(m_hits.strokesOf(m_document.selected())); });
    menu->addSeparator();
    addSelectionActions(menu);
    menu->addSeparator();
    addEntry(menu, tr("Rename\u2026"), QKeySequence(Qt::Key_F2), this, [this] { renameSelected(); });
    addEntry(menu, tr("Remove from the session"), QKeySequence(Qt::CTRL | Qt::Key_Delete), this,
             [this] { removeSelected(); });
    addEntry(menu, tr("Add a bus into Kit"), {}, this, [this] { addBus(); });
    addEntry(menu, tr("Rough balance of the kit"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_B), this,
             [this] {
                 showPage(0);
                 m_document.setStage(Stage::Balance);
                 m_bench->balance().searchRough();
             });
    addEntry(menu, tr("Trim own accents to a peak\u2026"), {}, this, [this] { trimToPeak(); });
    menu->addSeparator();
    addEntry(menu, tr("Begin a section at the playhead\u2026"), QKeySequence(Qt::Key_M), this,
             [this] { beginSection(); });
    addEntry(menu, tr("Rename the section at the playhead\u2026"), QKeySequence(Qt::SHIFT | Qt::Key_M), this,
             [this] { renameSection(); });
    addEntry(menu, tr("Remove the section at the playhead"), {}, this, [this] {
        m_document.edit(session::withoutSectionAt(m_document.session(), m_playback->positionS()),
                        tr("Remove section"));
    });
}

void MainWindow::buildViewMenu() {
    auto* menu = menuBar()->addMenu(tr("&View"));
    for (const Stage stage : kStages)
        addEntry(menu, stageName(stage), QKeySequence(Qt::Key_1 + placeOf(stage)), this, [this, stage] {
            showPage(0);
            m_document.setStage(stage);
        });
    addEntry(menu, tr("Quick sheet"), QKeySequence(Qt::Key_9), this, [this] { showPage(2); });
    addEntry(menu, tr("Proof"), QKeySequence(Qt::Key_0), this, [this] { showPage(1); });
    addEntry(menu, tr("Shelf"), QKeySequence(Qt::SHIFT | Qt::Key_S), this, [this] { showPage(3); });
    menu->addSeparator();
    addZoomActions(menu);
    menu->addSeparator();
    auto* themes = new QActionGroup(this);
    for (const auto& [words, kind] :
         {std::pair{tr("Light"), ThemeKind::Light}, {tr("Night"), ThemeKind::Night}}) {
        auto* action = menu->addAction(words);
        action->setCheckable(true);
        action->setChecked(themeKind() == kind);
        themes->addAction(action);
        connect(action, &QAction::triggered, this,
                [this, kind = kind] { setThemeKind(static_cast<int>(kind)); });
    }
    m_styles = menu->addMenu(tr("House style"));
    connect(m_styles, &QMenu::aboutToShow, this, &MainWindow::refreshStyles);
    refreshStyles();
    menu->addSeparator();
    addEntry(menu, tr("Keys\u2026"), QKeySequence(Qt::Key_Question), this, [this] { showKeys(); });
}

void MainWindow::refreshActions() {
    const QString undo = m_document.undoLabel();
    const QString redo = m_document.redoLabel();
    m_undo->setEnabled(!undo.isEmpty());
    m_undo->setText(undo.isEmpty() ? tr("Undo") : tr("Undo %1").arg(undo));
    m_redo->setEnabled(!redo.isEmpty());
    m_redo->setText(redo.isEmpty() ? tr("Redo") : tr("Redo %1").arg(redo));
    setWindowTitle(QStringLiteral("%1%2 \u2013 Ember Cask")
                       .arg(QString::fromStdString(m_document.session().name),
                            m_document.isSaved() ? QString() : QStringLiteral(" *")));
}

void MainWindow::refreshStyles() {
    m_findings.reloadStyles();
    m_styles->clear();
    for (const auto& style : m_findings.styles()) {
        auto* action = addEntry(m_styles, QString::fromStdString(style.name), {}, this,
                                [this, id = style.id] { m_findings.setStyle(id); });
        action->setCheckable(true);
        action->setChecked(style.id == m_findings.style().id);
        action->setToolTip(QString::fromStdString(style.words));
    }
    m_styles->setToolTipsVisible(true);
    m_styles->addSeparator();
    addEntry(m_styles, tr("Make a copy of it to edit"), {}, this, [this] {
        const auto copied = advise::copyStyleForEditing(m_findings.style());
        m_document.addNote(QString::fromStdString(copied ? "The house style is in " + copied->string() +
                                                               "; it is read anew when this menu opens."
                                                         : copied.error().message));
    });
}

void MainWindow::refreshRecent() {
    m_recent->clear();
    const auto list = QSettings().value(QStringLiteral("session/recent")).toStringList();
    for (const auto& folder : list)
        addEntry(m_recent, folder, {}, this, [this, folder] {
            if (mayLeave())
                openSession(folder.toStdString());
        });
    m_recent->setEnabled(!list.isEmpty());
}

void MainWindow::remember(const std::filesystem::path& folder) {
    QSettings settings;
    auto list = settings.value(QStringLiteral("session/recent")).toStringList();
    const QString path = QString::fromStdString(folder.string());
    list.removeAll(path);
    list.prepend(path);
    while (list.size() > kMostRecent)
        list.removeLast();
    settings.setValue(QStringLiteral("session/recent"), list);
    refreshRecent();
}

void MainWindow::setThemeKind(int kind) {
    applyTheme(*qApp, static_cast<ThemeKind>(kind));
    QSettings().setValue(QStringLiteral("window/theme"), kind);
    for (auto* widget : findChildren<QWidget*>())
        widget->update();
    emit m_document.selectionChanged(); // texts that carry a colour are made anew
}

void MainWindow::chooseDevice() {
    auto* dialog = new QDialog(this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->setWindowTitle(tr("Device and monitor"));
    auto* form = new QFormLayout(dialog);
    auto* device = new QComboBox(dialog);
    for (const auto& info : engine::listDevices())
        device->addItem(QString::fromStdString(info.name), QString::fromStdString(info.id));
    device->setCurrentIndex(
        std::max(0, device->findData(QString::fromStdString(m_playback->engine().device().info().id))));
    auto* frames = new QComboBox(dialog);
    for (const int n : {64, 128, 256, 512, 1024})
        frames->addItem(
            tr("%1 frames, %2 ms").arg(n).arg(1000.0 * n / m_playback->engine().sampleRateHz(), 0, 'f', 1),
            n);
    frames->setCurrentIndex(std::max(0, frames->findData(m_playback->engine().device().blockFrames())));
    const auto spin = [&](double least, double most, double value) {
        auto* box = new QDoubleSpinBox(dialog);
        box->setRange(least, most);
        box->setSingleStep(0.5);
        box->setDecimals(1);
        box->setSuffix(tr(" dB"));
        box->setValue(value);
        return box;
    };
    auto* level = spin(-60, 12, m_playback->monitor().levelDb);
    auto* ceiling = spin(-24, 0, m_playback->monitor().ceilingDb);
    form->addRow(tr("Device"), device);
    form->addRow(tr("Block"), frames);
    form->addRow(tr("Monitor level"), level);
    form->addRow(tr("Monitor ceiling (true peak)"), ceiling);
    auto* note = new QLabel(
        tr("Loud playback can permanently damage hearing. Start low, especially on headphones, and take "
           "breaks. The ceiling limits peaks; it does not make a level safe. Local rules and professional "
           "advice come first. Playing starts with a short ramp; the simulated device makes no sound."),
        dialog);
    note->setWordWrap(true);
    form->addRow(note);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, dialog);
    form->addRow(buttons);
    connect(buttons, &QDialogButtonBox::rejected, dialog, &QDialog::close);
    const auto use = [this, device, frames] {
        m_playback->useDevice(
            {device->currentData().toString().toStdString(), 0, frames->currentData().toInt()});
    };
    connect(device, &QComboBox::activated, dialog, use);
    connect(frames, &QComboBox::activated, dialog, use);
    const auto monitor = [this, level, ceiling] {
        auto settings = m_playback->monitor();
        settings.levelDb = level->value();
        settings.ceilingDb = ceiling->value();
        m_playback->setMonitor(settings);
    };
    connect(level, &QDoubleSpinBox::valueChanged, dialog, monitor);
    connect(ceiling, &QDoubleSpinBox::valueChanged, dialog, monitor);
    dialog->resize(460, 280);
    dialog->show(); // nothing modal while sound plays
}

void MainWindow::showKeys() {
    auto keys = benchKeys();
    for (const auto* action : findChildren<QAction*>())
        if (!action->shortcut().isEmpty())
            keys << KeyEntry{action->shortcut().toString(QKeySequence::NativeText),
                             action->text().remove(QLatin1Char('&')), tr("everywhere")};
    auto* list = new KeyList(keys, this);
    list->setAttribute(Qt::WA_DeleteOnClose);
    list->show();
}

} // namespace cask::app
