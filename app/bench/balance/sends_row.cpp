#include "app/bench/balance/sends_row.h"

#include "app/theme/theme.h"
#include "app/widgets/value_bar.h"
#include "core/session/edits.h"
#include "core/session/output_changes.h"
#include "core/session/parameters.h"
#include "core/session/routing.h"

#include <QCheckBox>
#include <QComboBox>
#include <QHBoxLayout>
#include <QPushButton>

#include <algorithm>

namespace cask::app {
namespace {

constexpr double kFirstLevelDb = -12;

} // namespace

SendsRow::SendsRow(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_layout(new QHBoxLayout(this)), m_add(new QComboBox(this)) {
    m_layout->setContentsMargins(0, 0, 0, 0);
    m_layout->setSpacing(16);
    m_layout->addWidget(m_add);
    m_layout->addStretch(1);
    m_add->setAccessibleName(tr("Add a send to a bus"));
    m_add->setToolTip(tr("Sends a copy of this sound to another bus, at its own level."));
    m_add->setMinimumWidth(150);
    connect(m_add, &QComboBox::activated, this, &SendsRow::addSend);
    for (const auto signal : {&Document::selectionChanged, &Document::changed, &Document::opened})
        connect(&desk.document, signal, this, &SendsRow::refresh);
    refresh();
}

ValueBar* SendsRow::levelBar(Id bus) const {
    for (const auto& item : m_items)
        if (item.bus == bus)
            return item.level;
    return nullptr;
}

void SendsRow::refresh() {
    const auto& s = m_desk.document.session();
    const Id id = m_desk.document.selected();
    const auto* out = s.output(id);
    const std::vector<session::Send> sends = out == nullptr ? std::vector<session::Send>() : out->sends;
    const bool isSame =
        m_owner == id && std::equal(sends.begin(), sends.end(), m_items.begin(), m_items.end(),
                                    [](const session::Send& a, const Item& b) { return a.bus == b.bus; });
    if (!isSame) { // new controls only when the list changes: a drag keeps its own
        for (auto& item : m_items)
            item.box->deleteLater();
        m_items.clear();
        m_owner = id;
        for (const auto& send : sends) {
            const Id bus = send.bus;
            auto* box = new QWidget(this);
            auto* row = new QHBoxLayout(box);
            row->setContentsMargins(0, 0, 0, 0);
            row->setSpacing(8);
            auto* level = new ValueBar(session::field(session::sendFields(), "level_db").info, box);
            level->setAccessibleName(tr("send to %1").arg(QString::fromStdString(s.nameOf(bus))));
            level->setMinimumWidth(150);
            auto* early = new QCheckBox(tr("pre-fader"), box);
            early->setToolTip(tr("Taken before the element's own level: it stays when that is moved."));
            auto* gone = new QPushButton(tr("remove"), box);
            gone->setAccessibleName(tr("Remove the send to %1").arg(QString::fromStdString(s.nameOf(bus))));
            row->addWidget(level, 1);
            row->addWidget(early);
            row->addWidget(gone);
            connect(level, &ValueBar::valueEdited, this,
                    [this, bus](double value, bool isDragging) { editLevel(bus, value, isDragging); });
            connect(level, &ValueBar::editFinished, &m_desk.document, &Document::endMerge);
            connect(early, &QCheckBox::clicked, this, [this, bus](bool on) {
                edit(bus, tr("Send pre-fader"), false, [on](session::Send& x) { x.isBeforeLevel = on; });
            });
            connect(gone, &QPushButton::clicked, this, [this, bus] { remove(bus); });
            m_layout->insertWidget(static_cast<int>(m_items.size()), box, 1);
            m_items.push_back({bus, box, level, early});
        }
    }
    const auto* change = out == nullptr ? nullptr : session::changeIn(out->changes, m_section);
    const auto shown = change == nullptr ? sends : session::withChange(*out, *change).sends;
    for (std::size_t i = 0; i < sends.size(); ++i) {
        m_items[i].level->setValue(shown[i].levelDb);
        m_items[i].early->setChecked(sends[i].isBeforeLevel);
        m_items[i].early->setEnabled(m_section.empty()); // the same everywhere
    }
    m_add->clear();
    m_add->addItem(tr("add a send\u2026"));
    if (out != nullptr && id != s.master().id)
        for (const auto& b : s.buses)
            if (b->id != id && levelBar(b->id) == nullptr && session::checkRoute(s, id, b->id))
                m_add->addItem(QString::fromStdString(b->name), b->id);
    m_add->setEnabled(m_add->count() > 1);
}

void SendsRow::edit(Id bus, const QString& what, bool isDragging,
                    const std::function<void(session::Send&)>& change) {
    const auto& s = m_desk.document.session();
    const Id id = m_desk.document.selected();
    m_desk.document.edit(
        session::withOutput(s, id,
                            [&](session::Output& out) {
                                for (auto& send : out.sends)
                                    if (send.bus == bus)
                                        change(send);
                            }),
        tr("%1, %2 to %3")
            .arg(what, QString::fromStdString(s.nameOf(id)), QString::fromStdString(s.nameOf(bus))),
        isDragging ? QStringLiteral("send%1-%2").arg(id).arg(bus) : QString());
}

void SendsRow::setSection(const std::string& section) {
    m_section = section;
    refresh();
}

void SendsRow::editLevel(Id bus, double value, bool isDragging) {
    if (m_section.empty()) {
        edit(bus, tr("Send level"), isDragging, [value](session::Send& x) { x.levelDb = value; });
        return;
    }
    const auto& s = m_desk.document.session();
    const Id id = m_desk.document.selected();
    session::SectionChange change;
    if (const auto* old = session::changeIn(s.output(id)->changes, m_section))
        change = *old;
    change.section = m_section;
    change.values[std::to_string(bus) + "/level_db"] = value;
    const QString where = QString::fromStdString(m_section);
    m_desk.document.edit(
        session::withOutputChange(s, id, change),
        tr("Send level, %1 to %2, %3")
            .arg(QString::fromStdString(s.nameOf(id)), QString::fromStdString(s.nameOf(bus)), where),
        isDragging ? QStringLiteral("send%1-%2-%3").arg(id).arg(bus).arg(where) : QString());
}

void SendsRow::remove(Id bus) {
    const auto& s = m_desk.document.session();
    m_desk.document.edit(session::withoutSend(s, m_desk.document.selected(), bus),
                         tr("Remove the send to %1").arg(QString::fromStdString(s.nameOf(bus))));
}

void SendsRow::addSend(int index) {
    const Id bus = m_add->itemData(index).toInt();
    if (bus == session::kNoId)
        return;
    const auto& s = m_desk.document.session();
    const Id id = m_desk.document.selected();
    auto sent = session::withSend(s, id, {bus, kFirstLevelDb, false});
    if (!sent) {
        m_desk.document.addNote(QString::fromStdString(sent.error().message));
        refresh();
        return;
    }
    m_desk.document.edit(std::move(*sent), tr("Send a copy, %1 to %2")
                                               .arg(QString::fromStdString(s.nameOf(id)),
                                                    QString::fromStdString(s.nameOf(bus))));
}

} // namespace cask::app
