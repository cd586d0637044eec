#include "app/bench/tone_bench.h"

#include "app/theme/theme.h"
#include "app/widgets/choice_row.h"
#include "app/widgets/value_bar.h"
#include "core/session/edits.h"

#include <QCheckBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include <cmath>

namespace cask::app {
namespace {

using dsp::FilterKind;

QString words(std::string_view text) {
    return QString::fromUtf8(text.data(), static_cast<int>(text.size()));
}

constexpr FilterKind kKinds[] = {FilterKind::HighPass,  FilterKind::LowShelf, FilterKind::Bell,
                                 FilterKind::HighShelf, FilterKind::LowPass,  FilterKind::Notch,
                                 FilterKind::BandPass,  FilterKind::Tilt};

double startHz(FilterKind kind) {
    switch (kind) {
    case FilterKind::HighPass:
        return 40;
    case FilterKind::LowShelf:
        return 100;
    case FilterKind::Bell:
        return 400;
    case FilterKind::HighShelf:
        return 6000;
    case FilterKind::LowPass:
        return 12000;
    case FilterKind::Notch:
        return 400;
    case FilterKind::BandPass:
    case FilterKind::Tilt:
        return 1000;
    }
    return 1000;
}

} // namespace

ToneBench::ToneBench(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_picture(new TonePicture(desk, this)), m_kinds(new ChoiceRow({}, this)),
      m_partTitle(new QLabel(words(session::field(session::eqBandFields(), "part").info.words), this)),
      m_parts(new ChoiceRow({}, this)), m_on(new QCheckBox(tr("on"), this)),
      m_hear(new QPushButton(tr("hear band"), this)), m_remove(new QPushButton(tr("remove"), this)) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    layout->addWidget(m_picture, 1);

    auto* adding = new QHBoxLayout;
    auto* title = new QLabel(tr("add"), this);
    title->setFont(textFont(12));
    adding->addWidget(title);
    QStringList kindWords;
    for (const FilterKind kind : kKinds) {
        const QString name = words(session::filterKindWords(kind));
        kindWords << name;
        auto* button = new QPushButton(name, this);
        button->setAccessibleName(tr("Add %1").arg(name));
        button->setFocusPolicy(Qt::TabFocus);
        connect(button, &QPushButton::clicked, this, [this, kind] {
            m_picture->addBand(kind, startHz(kind), 0);
            m_picture->setFocus();
        });
        adding->addWidget(button);
        m_add.emplace_back(kind, button);
    }
    adding->addStretch();
    layout->addLayout(adding);

    auto* chosen = new QHBoxLayout;
    chosen->setSpacing(12);
    auto* kindTitle = new QLabel(tr("chosen move"), this);
    kindTitle->setFont(textFont(12));
    chosen->addWidget(kindTitle);
    m_kinds->setWords(kindWords);
    m_kinds->setAccessibleName(tr("Kind of the chosen move"));
    chosen->addWidget(m_kinds);
    QStringList partWords;
    for (const auto& part : session::field(session::eqBandFields(), "part").info.choiceWords)
        partWords << words(part);
    m_parts->setWords(partWords);
    m_parts->setAccessibleName(tr("What the chosen move acts on"));
    m_parts->setToolTip(words(session::field(session::eqBandFields(), "part").info.help));
    chosen->addWidget(m_on);
    chosen->addStretch();
    m_hear->setToolTip(tr("Hold to hear only this band of the element, kept under -12 dBTP (H)"));
    m_hear->setFocusPolicy(Qt::TabFocus);
    m_remove->setToolTip(tr("Remove the chosen move (Delete)"));
    m_remove->setFocusPolicy(Qt::TabFocus);
    chosen->addWidget(m_hear);
    chosen->addWidget(m_remove);
    layout->addLayout(chosen);

    auto* part = new QHBoxLayout;
    part->setSpacing(12);
    m_partTitle->setFont(textFont(12));
    part->addWidget(m_partTitle);
    part->addWidget(m_parts);
    part->addStretch();
    layout->addLayout(part);

    auto* row = new QHBoxLayout;
    row->setSpacing(16);
    for (const auto& field : session::eqBandFields()) {
        if (field.info.kind != session::ParameterKind::Number)
            continue;
        auto* bar = new ValueBar(field.info, this);
        connect(bar, &ValueBar::valueEdited, this,
                [this, f = &field](double value, bool dragging) { editField(*f, value, dragging); });
        connect(bar, &ValueBar::editFinished, &desk.document, &Document::endMerge);
        row->addWidget(bar, 1);
        m_bars.emplace_back(&field, bar);
    }
    layout->addLayout(row);

    connect(m_kinds, &ChoiceRow::choiceEdited, this, [this](int index) {
        editField(session::field(session::eqBandFields(), "kind"), static_cast<double>(kKinds[index]), false);
    });
    connect(m_parts, &ChoiceRow::choiceEdited, this,
            [this](int index) { editField(session::field(session::eqBandFields(), "part"), index, false); });
    connect(m_on, &QCheckBox::clicked, this,
            [this](bool on) { editField(session::field(session::eqBandFields(), "on"), on ? 1 : 0, false); });
    connect(m_hear, &QPushButton::pressed, this, [this] { hear(true); });
    connect(m_hear, &QPushButton::released, this, [this] { hear(false); });
    connect(m_remove, &QPushButton::clicked, m_picture, &TonePicture::removeChosen);
    connect(m_picture, &TonePicture::hearKey, this, &ToneBench::hear);
    connect(m_picture, &TonePicture::bandChosen, this, &ToneBench::refresh);
    for (const auto signal : {&Document::selectionChanged, &Document::changed, &Document::opened})
        connect(&desk.document, signal, this, &ToneBench::refresh);
    refresh();
}

ValueBar* ToneBench::bar(const QString& id) const {
    for (const auto& [field, bar] : m_bars)
        if (words(field->info.id) == id)
            return bar;
    return nullptr;
}

QPushButton* ToneBench::addButton(FilterKind kind) const {
    for (const auto& [k, button] : m_add)
        if (k == kind)
            return button;
    return nullptr;
}

QString ToneBench::summary() const {
    const auto count = m_picture->bands().size();
    if (count == 0)
        return tr("no moves");
    const auto* band = m_picture->band();
    const QString total = count == 1 ? tr("1 move") : tr("%1 moves").arg(count);
    return band == nullptr ? total : tr("%1, chosen: %2").arg(total, TonePicture::inWords(*band));
}

void ToneBench::refresh() {
    const auto* band = m_picture->band();
    for (const auto& [field, bar] : m_bars) {
        bar->setEnabled(band != nullptr && session::appliesTo(field->info.id, band->kind));
        bar->setValue(band == nullptr ? field->info.standard : field->get(*band));
    }
    const auto& s = m_desk.document.session();
    const auto* element = s.element(m_desk.document.selected());
    const bool isStereo =
        element == nullptr ? s.bus(m_desk.document.selected()) != nullptr : element->isStereo();
    m_partTitle->setVisible(isStereo);
    m_parts->setVisible(isStereo);
    m_parts->setEnabled(band != nullptr);
    m_parts->setChosen(band == nullptr ? -1 : static_cast<int>(band->part));
    m_kinds->setEnabled(band != nullptr);
    int index = -1;
    for (int i = 0; band != nullptr && i < static_cast<int>(std::size(kKinds)); ++i)
        if (kKinds[i] == band->kind)
            index = i;
    m_kinds->setChosen(index);
    m_on->setEnabled(band != nullptr);
    m_on->setChecked(band != nullptr && band->isOn);
    m_hear->setEnabled(band != nullptr);
    m_remove->setEnabled(band != nullptr);
}

void ToneBench::editField(const session::Field<dsp::EqBand>& field, double value, bool isDragging) {
    const auto* band = m_picture->band();
    if (band == nullptr)
        return;
    const auto& s = m_desk.document.session();
    const Id owner = m_desk.document.selected();
    const Id id = band->id;
    m_desk.document.edit(session::withBand(s, owner, id, [&](dsp::EqBand& b) { field.set(b, value); }),
                         tr("%1, %2").arg(words(field.info.words), QString::fromStdString(s.nameOf(owner))),
                         isDragging ? words(field.info.id) + QString::number(id) : QString());
}

void ToneBench::hear(bool on) {
    const auto* band = m_picture->band();
    if (!on || band == nullptr) {
        m_desk.playback.hearBand(std::nullopt);
        return;
    }
    double low = 20;
    double high = 18000;
    const double hz = band->frequencyHz;
    // An octave at least, so that there is something to hear.
    const double half =
        std::max(std::sqrt(2.0), std::sqrt(1 + 1 / (4 * band->q * band->q)) + 1 / (2 * band->q));
    switch (band->kind) {
    case FilterKind::LowShelf:
    case FilterKind::HighPass:
        high = hz;
        break;
    case FilterKind::HighShelf:
    case FilterKind::LowPass:
        low = hz;
        break;
    case FilterKind::Tilt:
        break;
    case FilterKind::Bell:
    case FilterKind::Notch:
    case FilterKind::BandPass:
        low = hz / half;
        high = hz * half;
        break;
    }
    m_desk.playback.hearBand(
        BandAudition{m_desk.document.selected(), std::max(10.0, low), std::min(20000.0, high)});
}

} // namespace cask::app
