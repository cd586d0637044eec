// The rows of the Tone bench and what they are connected to.
#include "app/bench/module/chain_order_row.h"
#include "app/bench/module/module_boxes.h"
#include "app/bench/tone/kit_tone_picture.h"
#include "app/bench/tone/tone_bench.h"
#include "app/theme/theme.h"
#include "app/widgets/choice_row.h"
#include "app/widgets/value_bar.h"
#include "app/widgets/words.h"
#include "core/session/kinds.h"

#include <QCheckBox>
#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QVBoxLayout>

#include <algorithm>
#include <array>

namespace cask::app {
namespace {

using dsp::FilterKind;

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

/// Values that only a dynamic band has.
bool isOfDynamics(std::string_view id) {
    constexpr std::array<std::string_view, 4> kIds = {"threshold_db", "range_db", "attack_ms", "release_ms"};
    return std::find(kIds.begin(), kIds.end(), id) != kIds.end();
}

QHBoxLayout* row(QWidget* owner) {
    auto* layout = new QHBoxLayout(owner);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(12);
    return layout;
}

} // namespace

QWidget* ToneBench::makeHead() {
    auto* head = new QWidget(this);
    auto* layout = row(head);
    m_views->setAccessibleName(tr("Picture"));
    m_views->setToolTip(
        tr("Own hits: all of them, their first 20 ms, what comes 30 ms after the onset; how they "
           "die away; the whole kit by band"));
    m_chainParts->setAccessibleName(tr("What is set"));
    m_chainParts->setToolTip(tr("Repair comes before the dynamics, colour after them"));
    m_line->setPlaceholderText(tr("350 Hz \u22124 dB q 1.2"));
    m_line->setAccessibleName(tr("A band in one line"));
    m_line->setToolTip(tr("Type a band and press Enter; with = in front it sets the chosen one"));
    m_line->setMinimumWidth(110);
    layout->addWidget(m_views);
    layout->addStretch();
    layout->addWidget(m_line);
    layout->addWidget(m_chainParts);
    return head;
}

QWidget* ToneBench::makeMoves() {
    auto* page = new QWidget(this);
    auto* layout = new QVBoxLayout(page);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    auto* adding = new QWidget(page);
    auto* addRow = row(adding);
    addRow->setSpacing(6);
    auto* title = new QLabel(tr("add"), adding);
    title->setFont(textFont(12));
    addRow->addWidget(title);
    for (const FilterKind kind : kToneKinds) {
        const QString name = words(session::filterKindWords(kind));
        m_kinds->addItem(name);
        auto* button = new QPushButton(name, adding);
        button->setStyleSheet(QStringLiteral("padding: 4px 7px")); // all of them fit the smallest window
        button->setAccessibleName(tr("Add %1").arg(name));
        button->setFocusPolicy(Qt::TabFocus);
        connect(button, &QPushButton::clicked, this, [this, kind] {
            m_eq.addBand(kind, startHz(kind), 0);
            m_picture->setFocus();
        });
        addRow->addWidget(button);
        m_add.emplace_back(kind, button);
    }
    addRow->addStretch();
    layout->addWidget(adding);

    auto* chosen = new QWidget(page);
    auto* chosenRow = row(chosen);
    m_kinds->setAccessibleName(tr("Kind of the chosen band"));
    m_hear->setToolTip(tr("Hold to hear only this band of the element, kept under -12 dBTP (H)"));
    m_remove->setToolTip(tr("Remove the chosen band (Delete)"));
    m_remove->setFocusPolicy(Qt::TabFocus);
    m_order->addInFront(tr("section"), m_section);
    m_order->addHearing(m_hear);
    m_kinds->setToolTip(tr("Kind of the chosen band"));
    m_dynamics->setAccessibleName(tr("Whether the gain follows the level of the band"));
    m_dynamics->setToolTip(words(session::field(session::eqBandFields(), "dynamics").info.help));
    auto* gain = new QLabel(tr("gain"), chosen);
    gain->setFont(textFont(12));
    m_section->setToolTip(tr("All that glides may differ in a section: frequencies, gains, widths, "
                             "thresholds, ranges, times, amount"));
    chosenRow->addWidget(m_kinds);
    chosenRow->addWidget(m_on);
    chosenRow->addSpacing(8);
    chosenRow->addWidget(gain);
    chosenRow->addWidget(m_dynamics);
    chosenRow->addStretch();
    chosenRow->addWidget(m_remove);
    layout->addWidget(chosen);

    auto* bars = new QWidget(page);
    auto* barRow = row(bars);
    auto* dynamicRow = row(m_dynamicBars);
    for (auto* one : {barRow, dynamicRow})
        one->setSpacing(16);
    for (const auto& field : session::eqBandFields()) {
        if (field.info.kind != session::ParameterKind::Number)
            continue;
        auto* bar = new ValueBar(field.info, page);
        connect(bar, &ValueBar::valueEdited, this,
                [this, f = &field](double value, bool dragging) { editField(*f, value, dragging); });
        connect(bar, &ValueBar::editFinished, &m_desk.document, &Document::endMerge);
        (isOfDynamics(field.info.id) ? dynamicRow : barRow)->addWidget(bar, 1);
        m_bars.emplace_back(&field, bar);
    }
    m_amount->setToolTip(tr("Of every gain of this equaliser"));
    barRow->addWidget(m_amount, 1);
    layout->addWidget(bars);
    layout->addWidget(makeDynamics());
    layout->addWidget(m_dynamicBars);
    return page;
}

QWidget* ToneBench::makeDynamics() {
    auto* layout = row(m_detailRow);
    for (auto* label : {m_partTitle, m_moves})
        label->setFont(textFont(12));
    m_parts->setAccessibleName(tr("Channels of the chosen band"));
    m_parts->setToolTip(words(session::field(session::eqBandFields(), "part").info.help));
    m_key->setAccessibleName(tr("What the keyed bands of this equaliser listen to"));
    m_key->setMaximumWidth(130);
    m_moves->setMinimumWidth(10);
    layout->addWidget(m_keyed);
    layout->addWidget(m_key);
    layout->addWidget(m_moves, 1);
    layout->addWidget(m_partTitle);
    layout->addWidget(m_parts);
    return m_detailRow;
}

void ToneBench::connectAll() {
    const auto field = [](std::string_view id) { return &session::field(session::eqBandFields(), id); };
    connect(m_views, &ChoiceRow::choiceEdited, this, [this](int i) { showView(static_cast<View>(i)); });
    connect(m_chainParts, &ChoiceRow::choiceEdited, this, [this](int i) { showPart(static_cast<Part>(i)); });
    connect(m_kinds, &QComboBox::activated, this, [this, f = field("kind")](int index) {
        editField(*f, static_cast<double>(kToneKinds[static_cast<std::size_t>(index)]), false);
    });
    connect(m_parts, &ChoiceRow::choiceEdited, this,
            [this, f = field("part")](int index) { editField(*f, index, false); });
    connect(m_dynamics, &ChoiceRow::choiceEdited, this,
            [this, f = field("dynamics")](int index) { editField(*f, index, false); });
    connect(m_on, &QCheckBox::clicked, this,
            [this, f = field("on")](bool on) { editField(*f, on ? 1 : 0, false); });
    connect(m_keyed, &QCheckBox::clicked, this,
            [this, f = field("keyed")](bool on) { editField(*f, on ? 1 : 0, false); });
    connect(m_key, &QComboBox::activated, this, &ToneBench::setKey);
    connect(m_amount, &ValueBar::valueEdited, &m_eq, &EqModel::setAmount);
    connect(m_section, &QComboBox::activated, this, [this] { m_eq.setSection(m_section->section()); });
    connect(m_amount, &ValueBar::editFinished, &m_desk.document, &Document::endMerge);
    connect(m_line, &QLineEdit::returnPressed, this, &ToneBench::takeLine);
    connect(m_hear, &QPushButton::pressed, this, [this] { hear(true); });
    connect(m_hear, &QPushButton::released, this, [this] { hear(false); });
    connect(m_remove, &QPushButton::clicked, &m_eq, &EqModel::removeChosen);
    connect(m_picture, &TonePicture::hearKey, this, &ToneBench::hear);
    connect(m_picture, &TonePicture::orderKey, m_order, &ChainOrderRow::hearSwapped);
    connect(m_picture, &TonePicture::bypassKey, m_order, &ChainOrderRow::hearBypassed);
    connect(&m_eq, &EqModel::chosen, this, &ToneBench::refresh);
    connect(m_kit, &KitTonePicture::elementChosen, &m_desk.document, &Document::select);
    for (const auto signal : {&Document::selectionChanged, &Document::changed, &Document::opened})
        connect(&m_desk.document, signal, this, &ToneBench::refresh);
    connect(&m_desk.tones, &ToneModel::detailChanged, this, &ToneBench::refreshDynamics);
}

} // namespace cask::app
