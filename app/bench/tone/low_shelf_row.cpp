#include "app/bench/tone/low_shelf_row.h"

#include "app/theme/theme.h"
#include "app/widgets/value_bar.h"
#include "app/widgets/words.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"

#include <QCheckBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include <cmath>

namespace cask::app {
LowShelfRow::LowShelfRow(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_words(new QLabel(this)), m_on(new QCheckBox(tr("on"), this)),
      m_add(new QPushButton(tr("add low shelf pair"), this)), m_remove(new QPushButton(tr("remove"), this)) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    auto* head = new QHBoxLayout;
    head->setSpacing(12);
    m_words->setFont(textFont(12));
    m_words->setText(tr("Lifts what lies under the corner and dips just above it, both at once."));
    for (auto* button : {m_add, m_remove})
        button->setFocusPolicy(Qt::TabFocus);
    head->addWidget(m_add);
    head->addWidget(m_on);
    head->addWidget(m_words);
    head->addStretch();
    head->addWidget(m_remove);
    layout->addLayout(head);
    auto* row = new QHBoxLayout;
    row->setSpacing(16);
    layout->addLayout(row);
    makeBars();
    for (const auto& [id, bar] : m_bars)
        row->addWidget(bar, 1);
    connect(m_add, &QPushButton::clicked, this, &LowShelfRow::add);
    connect(m_remove, &QPushButton::clicked, this, [this] {
        const auto& s = m_desk.document.session();
        if (const auto* m = module())
            m_desk.document.edit(
                session::withoutModule(s, m->id),
                tr("Remove module, %1").arg(QString::fromStdString(s.nameOf(m_desk.document.selected()))));
    });
    connect(m_on, &QCheckBox::clicked, this,
            [this](bool on) { edit(tr("On"), [on](session::Module& m) { m.isOn = on; }, {}); });
    for (const auto signal : {&Document::selectionChanged, &Document::changed, &Document::opened})
        connect(&desk.document, signal, this, &LowShelfRow::refresh);
    refresh();
}

void LowShelfRow::makeBars() {
    for (const auto& field : session::fieldsOf<dsp::LowEndSettings>()) {
        auto* bar = new ValueBar(field.info, this);
        connect(bar, &ValueBar::valueEdited, this, [this, f = &field](double value, bool isDragging) {
            edit(
                words(f->info.words),
                [&](session::Module& m) { f->set(std::get<dsp::LowEndSettings>(m.settings), value); },
                isDragging ? words(f->info.id) : QString());
        });
        connect(bar, &ValueBar::editFinished, &m_desk.document, &Document::endMerge);
        m_bars.emplace_back(words(field.info.id), bar);
    }
}

const session::Module* LowShelfRow::module() const {
    const auto* chain = m_desk.document.session().chain(m_desk.document.selected());
    return chain == nullptr ? nullptr : session::findModule<dsp::LowEndSettings>(*chain);
}

ValueBar* LowShelfRow::bar(const QString& id) const {
    for (const auto& [name, bar] : m_bars)
        if (name == id)
            return bar;
    return nullptr;
}

/// Begins at the drum's own note, where that is known.
void LowShelfRow::add() {
    const Id owner = m_desk.document.selected();
    const auto* tone = m_desk.tones.tone(owner);
    const double hz =
        tone != nullptr && tone->isNoteSure() ? std::round(10 * tone->partials.fundamental.hz) / 10 : 0;
    auto s = m_desk.document.session();
    if (s.chain(owner) == nullptr)
        return;
    dsp::LowEndSettings lowEnd;
    lowEnd.frequencyHz = hz > 0 ? hz : lowEnd.frequencyHz;
    lowEnd.boostDb = 3;
    lowEnd.cutDb = 3;
    session::addModule(s, owner, lowEnd);
    const auto name = QString::fromStdString(s.nameOf(owner));
    m_desk.document.edit(std::move(s), tr("Add low shelf pair, %1").arg(name));
}

void LowShelfRow::edit(const QString& what, const std::function<void(session::Module&)>& change,
                       const QString& merge) {
    const auto* m = module();
    if (m == nullptr)
        return;
    const auto& s = m_desk.document.session();
    const Id id = m->id;
    m_desk.document.edit(session::withModule(s, id, change),
                         tr("%1, %2").arg(what, QString::fromStdString(s.nameOf(m_desk.document.selected()))),
                         merge.isEmpty() ? merge : merge + QString::number(id));
}

void LowShelfRow::refresh() {
    const auto* m = module();
    const auto fields = session::fieldsOf<dsp::LowEndSettings>();
    for (std::size_t i = 0; i < fields.size(); ++i)
        m_bars[i].second->setValue(m == nullptr ? fields[i].info.standard
                                                : fields[i].get(std::get<dsp::LowEndSettings>(m->settings)));
    for (const auto& [id, bar] : m_bars)
        bar->setEnabled(m != nullptr);
    m_add->setVisible(m == nullptr);
    m_on->setVisible(m != nullptr);
    m_on->setChecked(m != nullptr && m->isOn);
    m_remove->setVisible(m != nullptr);
    emit moduleChanged();
}

} // namespace cask::app
