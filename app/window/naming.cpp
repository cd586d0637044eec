// What asks for a name or a value: elements, buses and sections; buses added and removed; trims.
#include "app/widgets/name_box.h"
#include "app/window/main_window.h"
#include "core/kit_measures/trim_to_target.h"
#include "core/session/edits.h"
#include "core/session/sections.h"

namespace cask::app {

void MainWindow::withName(const QString& title, const QString& current,
                          const std::function<void(const QString&)>& take) {
    if (askForName) {
        const QString name = askForName(title, current).trimmed();
        if (!name.isEmpty())
            take(name);
        return;
    }
    (new NameBox(title, current, take, this))->show();
}

void MainWindow::addBus() {
    session::Session s = m_document.session();
    Id kit = s.master().id;
    for (const auto& b : s.buses)
        if (b->name == "Kit")
            kit = b->id;
    const Id bus = session::addBus(s, "Bus " + std::to_string(s.buses.size() + 1), kit);
    m_document.edit(std::move(s), tr("Add bus"));
    m_document.select(bus);
}

void MainWindow::trimToPeak() {
    constexpr double kLeastDb = -60;
    withName(tr("Peak of own accents, dBFS"), QStringLiteral("-12"), [this](const QString& typed) {
        bool isNumber = false;
        const double peakDb = QString(typed)
                                  .replace(QChar(0x2212), QLatin1Char('-'))
                                  .section(QLatin1Char(' '), 0, 0)
                                  .toDouble(&isNumber);
        if (!isNumber || peakDb > 0 || peakDb < kLeastDb) {
            m_document.addNote(tr("\"%1\" is not a valid peak. Enter -60 to 0 dBFS.").arg(typed));
            return;
        }
        const auto hits = m_hits.shared();
        if (hits == nullptr) {
            m_document.addNote(tr("Hits are still being found; nothing was trimmed."));
            return;
        }
        const auto steps = kit::trimToTarget(m_document.session(), *hits, peakDb);
        if (steps.empty()) {
            m_document.addNote(tr("Nothing to trim: every drum with hits of its own is there already."));
            return;
        }
        m_document.edit(kit::withTrims(m_document.session(), steps),
                        tr("Trim %1 elements to %2 dBFS").arg(steps.size()).arg(peakDb));
    });
}

void MainWindow::renameSelected() {
    const Id id = m_document.selected();
    const QString before = QString::fromStdString(m_document.session().nameOf(id));
    if (before.isEmpty())
        return;
    withName(tr("Name of %1").arg(before), before, [this, id, before](const QString& name) {
        m_document.edit(session::withName(m_document.session(), id, name.toStdString()),
                        tr("Rename %1").arg(before));
    });
}

void MainWindow::removeSelected() {
    const Id id = m_document.selected();
    const auto& s = m_document.session();
    const QString name = QString::fromStdString(s.nameOf(id));
    if (id == s.master().id) {
        m_document.addNote(tr("The master stays: everything ends there."));
        return;
    }
    m_document.edit(s.bus(id) != nullptr ? session::withoutBus(s, id) : session::withoutElement(s, id),
                    tr("Remove %1").arg(name));
}

void MainWindow::beginSection() {
    const double at = m_playback->positionS();
    const auto number = m_document.session().sections.size() + 1;
    withName(tr("Name of the section that begins here"), tr("part %1").arg(number),
             [this, at](const QString& name) {
                 m_document.edit(session::withSectionFrom(m_document.session(), at, name.toStdString()),
                                 tr("Section %1").arg(name));
             });
}

void MainWindow::renameSection() {
    const double at = m_playback->positionS();
    const auto* section = session::sectionAt(m_document.session(), at);
    if (section == nullptr)
        return;
    withName(tr("Name of this section"), QString::fromStdString(section->name),
             [this, at](const QString& name) {
                 m_document.edit(session::withSectionNamed(m_document.session(), at, name.toStdString()),
                                 tr("Rename section"));
             });
}

} // namespace cask::app
