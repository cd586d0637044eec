// A and B, kept mixes, the list of steps.
#include "app/window/main_window.h"
#include "app/window/menu_entry.h"
#include "app/window/states_sheet.h"
#include "core/session/states.h"

namespace cask::app {

void MainWindow::addStateActions(QMenu* menu) {
    everywhere(addEntry(menu, tr("Switch between A and B, equally loud"), QKeySequence(Qt::Key_Q), this,
                        [this] { m_playback->switchLetter(); }));
    addEntry(menu, tr("Make A and B equal"), QKeySequence(Qt::SHIFT | Qt::Key_Q), this, [this] {
        m_document.edit(session::withLettersEqual(m_document.session()), tr("A and B equal"), {},
                        Document::Spreads::No);
    });
    addEntry(menu, tr("Keep this mix as\u2026"), QKeySequence(Qt::CTRL | Qt::Key_K), this,
             [this] { keepState(); });
    addEntry(menu, tr("States\u2026"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_K), this, [this] {
        auto* sheet = new StatesSheet(m_document, this);
        connect(sheet, &StatesSheet::wantsKeep, this, &MainWindow::keepState);
        sheet->show(); // nothing modal while sound plays
    });
    addEntry(menu, tr("Steps\u2026"), QKeySequence(Qt::CTRL | Qt::Key_U), this,
             [this] { (new StepList(m_document, this))->show(); });
}

void MainWindow::keepState() {
    const auto number = m_document.session().states.size() + 1;
    withName(tr("Name of this mix"), tr("mix %1").arg(number), [this](const QString& name) {
        if (name == QLatin1String("A") || name == QLatin1String("B")) {
            m_document.addNote(tr("A and B are the two that are compared; give this mix another name."));
            return;
        }
        m_document.edit(session::withState(m_document.session(), name.toStdString()),
                        tr("Keep the mix as %1").arg(name), {}, Document::Spreads::No);
    });
}

} // namespace cask::app
