#include "app/bench/balance/balance_bench.h"

#include "app/bench/balance/balance_plane.h"
#include "app/bench/balance/headroom_ladder.h"
#include "app/bench/balance/rough_balance_panel.h"
#include "app/bench/balance/sends_row.h"
#include "app/bench/balance/spread_row.h"
#include "app/theme/theme.h"
#include "app/widgets/choice_row.h"
#include "app/widgets/value_bar.h"
#include "app/widgets/words.h"
#include "core/session/edits.h"
#include "core/session/kit_turn.h"
#include "core/session/output_changes.h"
#include "core/session/routing.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QStackedLayout>
#include <QVBoxLayout>

namespace cask::app {
BalanceBench::BalanceBench(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk),
      m_rough(new RoughBalanceModel(desk.document, desk.analyst, desk.hits, desk.playback, this)),
      m_roughPanel(new RoughBalancePanel(desk, *m_rough, this)),
      m_roughButton(new QPushButton(tr("rough balance"), this)),
      m_view(new ChoiceRow({tr("as recorded"), tr("audience"), tr("drummer")}, this)),
      m_turn(new QPushButton(tr("swap left and right"), this)), m_pages(new QStackedLayout),
      m_plane(new BalancePlane(desk, this)), m_bus(new QComboBox(this)), m_section(new SectionBox(this)),
      m_clear(new QPushButton(tr("clear"), this)), m_sends(new SendsRow(desk, this)),
      m_spread(new SpreadRow(desk, this)) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    layout->addLayout(kitRow());
    auto* plane = new QWidget(this);
    auto* top = new QHBoxLayout(plane);
    top->setContentsMargins(0, 0, 0, 0);
    top->setSpacing(12);
    top->addWidget(m_plane, 1);
    top->addWidget(new HeadroomLadder(desk, this));
    m_pages->addWidget(plane);
    m_pages->addWidget(m_roughPanel);
    layout->addLayout(m_pages, 1);
    auto* row = new QHBoxLayout;
    row->setSpacing(16);
    for (const auto& field : session::outputFields()) {
        if (field.info.kind != session::ParameterKind::Number)
            continue;
        auto* bar = new ValueBar(field.info, this);
        connect(bar, &ValueBar::valueEdited, this,
                [this, f = &field](double value, bool dragging) { editOutput(*f, value, dragging); });
        connect(bar, &ValueBar::editFinished, &desk.document, &Document::endMerge);
        row->addWidget(bar, 1);
        m_bars.emplace_back(&field, bar);
    }
    auto* in = new QLabel(tr("section"), this);
    in->setFont(textFont(12));
    row->addWidget(in);
    m_section->setToolTip(
        tr("Level, pan, width and sends may differ in a section; the picture shows those of the rest"));
    row->addWidget(m_section);
    m_clear->setToolTip(tr("In this section as everywhere else"));
    row->addWidget(m_clear);
    auto* to = new QLabel(tr("output"), this);
    to->setFont(textFont(12));
    row->addWidget(to);
    m_bus->setAccessibleName(tr("Bus"));
    m_bus->setMinimumWidth(120);
    row->addWidget(m_bus);
    layout->addLayout(row);
    layout->addWidget(m_sends);
    layout->addWidget(m_spread);
    connect(m_roughButton, &QPushButton::clicked, this, &BalanceBench::searchRough);
    connect(m_turn, &QPushButton::clicked, this, &BalanceBench::turnKit);
    connect(m_view, &ChoiceRow::choiceEdited, this, [this] {
        if (m_rough->found())
            searchRough();
    });
    connect(m_rough, &RoughBalanceModel::changed, this, &BalanceBench::refresh);
    connect(m_bus, &QComboBox::activated, this, &BalanceBench::routeTo);
    connect(m_section, &QComboBox::activated, this, &BalanceBench::refresh);
    connect(m_clear, &QPushButton::clicked, this, &BalanceBench::clearSection);
    for (const auto signal : {&Document::selectionChanged, &Document::changed, &Document::opened})
        connect(&desk.document, signal, this, &BalanceBench::refresh);
    refresh();
}

QHBoxLayout* BalanceBench::kitRow() {
    auto* row = new QHBoxLayout;
    row->setSpacing(8);
    m_roughButton->setToolTip(tr("Levels and pans of the whole kit from its measured hits, shown before they "
                                 "are taken"));
    row->addWidget(m_roughButton);
    auto* view = new QLabel(tr("view"), this);
    view->setFont(textFont(12));
    view->setBuddy(m_view);
    row->addWidget(view);
    m_view->setAccessibleName(tr("View of the kit"));
    m_view->setToolTip(tr("From where the kit is heard: hats are on the drummer's left and on the audience's "
                          "right"));
    row->addWidget(m_view);
    row->addStretch(1);
    m_turn->setToolTip(tr("Turns the whole kit: pans and sides of stereo elements; bass, music and voice "
                          "stay"));
    row->addWidget(m_turn);
    return row;
}

void BalanceBench::searchRough() {
    m_rough->search(static_cast<kit::KitView>(m_view->chosen()), m_desk.findings.style());
    m_roughPanel->takeKeys();
}

void BalanceBench::turnKit() {
    m_desk.document.edit(session::withKitTurned(m_desk.document.session()), tr("Left and right of the kit"));
}

ValueBar* BalanceBench::bar(const QString& id) const {
    for (const auto& [field, bar] : m_bars)
        if (words(field->info.id) == id)
            return bar;
    return nullptr;
}

QString BalanceBench::summary() const {
    const auto& headroom = m_desk.playback.headroom();
    if (!headroom || headroom->truePeakDb.back() <= kSilenceDb + 1)
        return {};
    const double left = -headroom->truePeakDb.back();
    return left >= 0 ? tr("%1 dB left on the master").arg(dbText(left))
                     : tr("the master is %1 dB over full scale").arg(dbText(-left));
}

void BalanceBench::refresh() {
    const auto& s = m_desk.document.session();
    const Id id = m_desk.document.selected();
    const auto* out = s.output(id);
    const auto* e = s.element(id);
    const bool isRough = m_rough->isSearching() || m_rough->found() || !m_rough->problem().isEmpty();
    m_pages->setCurrentIndex(isRough ? 1 : 0);
    m_roughButton->setEnabled(!s.elements.empty() && !m_rough->isSearching());
    m_turn->setEnabled(!s.elements.empty());
    m_section->fill(s);
    m_sends->setSection(m_section->section());
    const auto change = changeHere();
    m_clear->setVisible(!change.values.empty());
    const session::Output shown = out == nullptr ? session::Output{} : session::withChange(*out, change);
    for (const auto& [field, bar] : m_bars) {
        const bool isWidth = field->info.id == "width_percent";
        bar->setEnabled(out != nullptr && (!isWidth || e == nullptr || e->isStereo()));
        bar->setValue(field->get(shown));
    }
    m_bus->clear();
    const bool isMaster = out != nullptr && out->bus == session::kNoId;
    m_bus->setEnabled(out != nullptr && !isMaster);
    if (out == nullptr || isMaster) {
        m_bus->addItem(tr("the output"));
        return;
    }
    for (const auto& b : s.buses) {
        if (b->id == id)
            continue;
        m_bus->addItem(QString::fromStdString(b->name), b->id);
        if (b->id == out->bus)
            m_bus->setCurrentIndex(m_bus->count() - 1);
    }
}

void BalanceBench::editOutput(const session::Field<session::Output>& field, double value, bool isDragging) {
    const Id id = m_desk.document.selected();
    const auto& s = m_desk.document.session();
    auto change = changeHere();
    change.values[std::string(field.info.id)] = value;
    const QString where = QString::fromStdString(change.section);
    const QString what = tr("%1, %2").arg(words(field.info.words), QString::fromStdString(s.nameOf(id)));
    m_desk.document.edit(change.section.empty()
                             ? session::withOutput(s, id, [&](auto& out) { field.set(out, value); })
                             : session::withOutputChange(s, id, change),
                         change.section.empty() ? what : tr("%1, %2").arg(what, where),
                         isDragging ? words(field.info.id) + QString::number(id) + where : QString());
}

/// What is other in the chosen section.
session::SectionChange BalanceBench::changeHere() const {
    const auto* out = m_desk.document.session().output(m_desk.document.selected());
    const auto* kept = out == nullptr ? nullptr : session::changeIn(out->changes, m_section->section());
    session::SectionChange change;
    change.section = m_section->section();
    return kept == nullptr ? change : *kept;
}

void BalanceBench::clearSection() {
    const Id id = m_desk.document.selected();
    const auto& s = m_desk.document.session();
    auto change = changeHere();
    change.values.clear();
    const QString name = QString::fromStdString(s.nameOf(id));
    m_desk.document.edit(session::withOutputChange(s, id, change),
                         tr("As everywhere, %1, %2").arg(name, QString::fromStdString(change.section)));
}

void BalanceBench::routeTo(int index) {
    const Id id = m_desk.document.selected();
    const auto& s = m_desk.document.session();
    auto routed = session::withOutputBus(s, id, m_bus->itemData(index).toInt());
    if (!routed) {
        m_desk.document.addNote(QString::fromStdString(routed.error().message));
        refresh();
        return;
    }
    m_desk.document.edit(std::move(*routed), tr("Bus, %1").arg(QString::fromStdString(s.nameOf(id))));
}

} // namespace cask::app
