// Names: of elements, buses and sections; buses added and removed.
#include "app/widgets/name_box.h"
#include "app/window/main_window.h"
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
