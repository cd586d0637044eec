// The menu of what is heard: transport, solo and mute, comparison, monitor.
#include "app/board/board.h"
#include "app/window/main_window.h"
#include "app/window/menu_entry.h"
#include "app/window/reference_sheet.h"
#include "core/session/edits.h"
#include "core/session/hearing.h"
#include "core/session/sections.h"

#include <QActionGroup>
#include <QMenuBar>

namespace cask::app {

void MainWindow::buildHearMenu() {
    auto* menu = menuBar()->addMenu(tr("&Transport"));
    everywhere(addEntry(menu, tr("Play or stop"), QKeySequence(Qt::Key_Space), this,
                        [this] { m_playback->togglePlay(); }));
    addEntry(menu, tr("To the start"), QKeySequence(Qt::Key_Home), this, [this] { m_playback->locate(0); });
    addEntry(menu, tr("Next section"), QKeySequence(Qt::Key_Period), this, [this] { jumpSection(1); });
    addEntry(menu, tr("Previous section"), QKeySequence(Qt::Key_Comma), this, [this] { jumpSection(-1); });
    addEntry(menu, tr("Loop the section here, or no loop"), QKeySequence(Qt::Key_O), this, [this] {
        if (m_playback->hasLoop()) {
            m_playback->clearLoop();
            return;
        }
        const double at = m_playback->positionS();
        const auto& s = m_document.session();
        if (const auto* section = session::sectionAt(s, at))
            m_playback->setLoop(section->startS, section->endS);
        else
            m_playback->setLoop(0, framesToSeconds(s.lengthFrames(), s.sampleRateHz));
    });
    addTransportActions(menu);
    menu->addSeparator();
    addSoloActions(menu);
    menu->addSeparator();
    m_latchCompare = menu->addAction(tr("Compare with the untouched kit"));
    m_latchCompare->setCheckable(true);
    m_latchCompare->setShortcut(QKeySequence(Qt::SHIFT | Qt::Key_C));
    connect(m_latchCompare, &QAction::triggered, this, [this](bool on) { m_playback->setComparing(on); });
    auto* kinds = new QActionGroup(this);
    for (const auto& [words, kind] :
         {std::pair{tr("Untouched: the files as they came"), session::Untouched::FilesAsTheyCame},
          {tr("Untouched: this balance without processing"), session::Untouched::NoProcessing}}) {
        auto* action = menu->addAction(words);
        action->setCheckable(true);
        action->setChecked(kind == m_playback->untouchedKind());
        kinds->addAction(action);
        connect(action, &QAction::triggered, this,
                [this, kind = kind] { m_playback->setUntouchedKind(kind); });
    }
    m_bypass = menu->addAction(tr("Bypass every processor, at the same loudness"));
    m_bypass->setCheckable(true);
    m_bypass->setShortcut(QKeySequence(Qt::SHIFT | Qt::Key_B));
    connect(m_bypass, &QAction::triggered, m_playback.get(), &Playback::setBypassed);
    addEntry(menu, tr("References\u2026"), QKeySequence(Qt::CTRL | Qt::Key_E), this,
             [this] { (new ReferenceSheet(m_document, m_references, this))->show(); });
    everywhere(addEntry(menu, tr("Next reference"), QKeySequence(Qt::SHIFT | Qt::Key_E), this,
                        [this] { m_references.chooseNext(); }));
    menu->addSeparator();
    addMonitorActions(menu);
    addEntry(menu, tr("Device and monitor\u2026"), {}, this, [this] { chooseDevice(); });
}

void MainWindow::toggleSolo(bool isOnly) {
    const auto owners = m_document.selection();
    const bool on = !session::areSoloed(m_document.session(), owners);
    m_document.listen([&](session::Session s) {
        return on && isOnly ? session::withSoloOnly(std::move(s), owners)
                            : session::withSolo(std::move(s), owners, on);
    });
}

void MainWindow::toggleMute() {
    const auto owners = m_document.selection();
    const bool on = !session::areMuted(m_document.session(), owners);
    m_document.listen([&](session::Session s) { return session::withMute(std::move(s), owners, on); });
}

void MainWindow::toggleHeard(const std::vector<Id>& owners, bool solos) {
    const bool on = solos ? !session::areSoloed(m_document.session(), owners)
                          : !session::areMuted(m_document.session(), owners);
    m_document.listen([&](session::Session s) {
        return solos ? session::withSolo(std::move(s), owners, on)
                     : session::withMute(std::move(s), owners, on);
    });
}

void MainWindow::addSoloActions(QMenu* menu) {
    addEntry(menu, tr("Solo"), QKeySequence(Qt::Key_A), this, [this] { toggleSolo(false); });
    addEntry(menu, tr("Solo this alone"), QKeySequence(Qt::SHIFT | Qt::Key_A), this,
             [this] { toggleSolo(true); });
    addEntry(menu, tr("Clear all solos"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_A), this, [this] {
        m_document.listen([](session::Session s) { return session::withoutSolos(std::move(s)); });
    });
    addEntry(menu, tr("Mute"), QKeySequence(Qt::Key_X), this, [this] { toggleMute(); });
    addEntry(menu, tr("Solo-safe, or no longer"), {}, this, [this] {
        const auto& s = m_document.session();
        if (const auto* out = s.output(m_document.selected()))
            m_document.edit(session::withOutput(s, m_document.selected(),
                                                [on = !out->isSoloSafe](auto& o) { o.isSoloSafe = on; }),
                            tr("Solo-safe, %1").arg(QString::fromStdString(s.nameOf(m_document.selected()))));
    });
    // Groups have keys in a row; buses go by their place on the Board.
    using session::HeardGroup;
    auto* groups = menu->addMenu(tr("Drums, bass, music, voice"));
    int key = Qt::Key_F5;
    for (const auto& [group, name] :
         {std::pair(HeardGroup::Drums, tr("drums")), std::pair(HeardGroup::Bass, tr("bass")),
          std::pair(HeardGroup::Music, tr("music")), std::pair(HeardGroup::Voice, tr("voice"))}) {
        const auto toggle = [this, group = group](bool solos) {
            toggleHeard(session::elementsOf(m_document.session(), group), solos);
        };
        addEntry(groups, tr("Solo %1").arg(name), QKeySequence(key), this, [toggle] { toggle(true); });
        addEntry(groups, tr("Mute %1").arg(name), QKeySequence(Qt::SHIFT | key), this,
                 [toggle] { toggle(false); });
        ++key;
    }
    addEntry(groups, tr("Only the drums, or all again"), QKeySequence(Qt::Key_F9), this, [this] {
        const auto drums = session::elementsOf(m_document.session(), HeardGroup::Drums);
        const bool on = !session::areSoloed(m_document.session(), drums);
        m_document.listen([&](session::Session s) {
            return on ? session::withSoloOnly(std::move(s), drums) : session::withoutSolos(std::move(s));
        });
    });
    auto* buses = menu->addMenu(tr("Buses"));
    constexpr int kKeys = 9;
    for (int n = 0; n < kKeys; ++n) {
        const auto toggle = [this, n](bool solos) {
            const auto& all = m_document.session().buses;
            if (n < static_cast<int>(all.size()) && !all[static_cast<std::size_t>(n)]->isMaster)
                toggleHeard({all[static_cast<std::size_t>(n)]->id}, solos);
        };
        addEntry(buses, tr("Solo bus %1").arg(n + 1), QKeySequence(Qt::CTRL | (Qt::Key_1 + n)), this,
                 [toggle] { toggle(true); });
        addEntry(buses, tr("Mute bus %1").arg(n + 1), QKeySequence(Qt::CTRL | Qt::SHIFT | (Qt::Key_1 + n)),
                 this, [toggle] { toggle(false); });
    }
    connect(buses, &QMenu::aboutToShow, this, [this, buses] {
        const auto& all = m_document.session().buses;
        const auto actions = buses->actions();
        for (int i = 0; i < actions.size(); ++i) {
            const auto n = static_cast<std::size_t>(i / 2);
            const bool isThere = n < all.size() && !all[n]->isMaster;
            actions[i]->setVisible(isThere);
            if (isThere)
                actions[i]->setText(
                    (i % 2 == 0 ? tr("Solo %1") : tr("Mute %1")).arg(QString::fromStdString(all[n]->name)));
        }
    });
}

void MainWindow::addMonitorActions(QMenu* menu) {
    const auto flip = [this](bool engine::MonitorSettings::*flag) {
        auto settings = m_playback->monitor();
        settings.*flag = !(settings.*flag);
        m_playback->setMonitor(settings);
    };
    addEntry(menu, tr("Dim the monitor by 20 dB, or not"), QKeySequence(Qt::SHIFT | Qt::Key_D), this,
             [flip] { flip(&engine::MonitorSettings::isDimmed); });
    addEntry(menu, tr("Monitor in mono, or not"), QKeySequence(Qt::SHIFT | Qt::Key_N), this,
             [flip] { flip(&engine::MonitorSettings::isMono); });
    addEntry(menu, tr("Swap the monitor's sides, or not"), QKeySequence(Qt::SHIFT | Qt::Key_W), this,
             [flip] { flip(&engine::MonitorSettings::isSwapped); });
    addEntry(menu, tr("Clear held peaks"), QKeySequence(Qt::SHIFT | Qt::Key_P), this, [this] {
        m_playback->engine().clearHeldPeak();
        m_board->clearClips();
        emit m_playback->tick();
    });
}

void MainWindow::jumpSection(int direction) {
    const double at = m_playback->positionS();
    double target = direction > 0 ? at : 0;
    for (const auto& section : m_document.session().sections) {
        if (direction > 0 && section.startS > at + 0.05) {
            target = section.startS;
            break;
        }
        if (direction < 0 && section.startS < at - 0.5)
            target = section.startS;
    }
    m_playback->locate(target);
}

} // namespace cask::app
