#include "app/bench/tone/tone_bench.h"

#include "app/bench/module/chain_order_row.h"
#include "app/bench/module/module_boxes.h"
#include "app/bench/tone/decay_picture.h"
#include "app/bench/tone/kit_tone_picture.h"
#include "app/bench/tone/low_shelf_row.h"
#include "app/theme/theme.h"
#include "app/widgets/choice_row.h"
#include "app/widgets/value_bar.h"
#include "app/widgets/words.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"
#include "core/session/move_text.h"

#include <QCheckBox>
#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QStackedWidget>
#include <QVBoxLayout>

#include <array>
#include <cmath>

namespace cask::app {
namespace {

using dsp::FilterKind;

QStringList choiceWords(std::string_view id) {
    QStringList list;
    for (const auto& word : session::field(session::eqBandFields(), id).info.choiceWords)
        list << words(word);
    return list;
}

} // namespace

ToneBench::ToneBench(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_eq(desk),
      m_views(new ChoiceRow({tr("hits"), tr("attack"), tr("tail"), tr("decay"), tr("kit")}, this)),
      m_chainParts(new ChoiceRow({tr("repair"), tr("colour"), tr("low shelf pair")}, this)),
      m_line(new QLineEdit(this)), m_pictures(new QStackedWidget(this)),
      m_picture(new TonePicture(desk, m_eq, this)), m_decay(new DecayPicture(desk, this)),
      m_kit(new KitTonePicture(desk, this)), m_rows(new QStackedWidget(this)),
      m_lowEnd(new LowShelfRow(desk, this)), m_order(new ChainOrderRow(desk, this)),
      m_kinds(new QComboBox(this)), m_partTitle(new QLabel(tr("channels"), this)),
      m_parts(new ChoiceRow(choiceWords("part"), this)), m_on(new QCheckBox(tr("on"), this)),
      m_amount(new ValueBar(
          session::field(session::fieldsOf<dsp::EqSettings>(), std::string_view("amount_percent")).info,
          this)),
      m_dynamics(new ChoiceRow(choiceWords("dynamics"), this)),
      m_keyed(new QCheckBox(tr("listens to"), this)), m_key(new QComboBox(this)), m_moves(new QLabel(this)),
      m_detailRow(new QWidget(this)), m_dynamicBars(new QWidget(this)), m_section(new SectionBox(this)),
      m_hear(new QPushButton(tr("band"), this)), m_remove(new QPushButton(tr("remove"), this)) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    layout->addWidget(makeHead());
    for (QWidget* picture :
         {static_cast<QWidget*>(m_picture), static_cast<QWidget*>(m_decay), static_cast<QWidget*>(m_kit)})
        m_pictures->addWidget(picture);
    layout->addWidget(m_pictures, 1);
    m_rows->addWidget(makeMoves());
    m_rows->addWidget(m_lowEnd);
    m_rows->setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Maximum);
    layout->addWidget(m_rows);
    layout->addWidget(m_order);
    connectAll();
    showPart(Part::Repair);
}

void ToneBench::showView(View view) {
    m_views->setChosen(static_cast<int>(view));
    m_pictures->setCurrentIndex(view == View::Kit ? 2 : view == View::Decay ? 1 : 0);
    if (view < View::Decay)
        m_picture->setMoment(view == View::Attack ? TonePicture::Moment::Attack
                             : view == View::Tail ? TonePicture::Moment::Tail
                                                  : TonePicture::Moment::Whole);
}

void ToneBench::showPart(Part part) {
    m_chainParts->setChosen(static_cast<int>(part));
    m_rows->setCurrentIndex(part == Part::LowEnd ? 1 : 0);
    // As high as what it shows: the rest is the picture's.
    for (int i = 0; i < m_rows->count(); ++i)
        m_rows->widget(i)->setSizePolicy(QSizePolicy::Preferred, i == m_rows->currentIndex()
                                                                     ? QSizePolicy::Maximum
                                                                     : QSizePolicy::Ignored);
    m_rows->adjustSize();
    if (part == Part::Repair || part == Part::Colour)
        m_eq.setPlace(part == Part::Repair ? session::EqPlace::Repair : session::EqPlace::Colour);
    refresh();
}

void ToneBench::showEvent(QShowEvent* event) {
    m_desk.tones.setActive(true);
    QWidget::showEvent(event);
}

void ToneBench::hideEvent(QHideEvent* event) {
    m_desk.tones.setActive(false);
    QWidget::hideEvent(event);
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
    const auto count = m_eq.bands().size();
    if (count == 0)
        return tr("no bands");
    const auto* band = m_eq.band();
    const QString total = count == 1 ? tr("1 band") : tr("%1 bands").arg(count);
    return band == nullptr ? total : tr("%1, chosen: %2").arg(total, EqModel::inWords(*band));
}

void ToneBench::refresh() {
    m_section->fill(m_desk.document.session());
    if (m_section->section() != m_eq.section())
        m_eq.setSection(m_section->section()); // the one that was chosen is gone
    const auto* band = m_eq.band();
    // What does not glide is the same in every section.
    const bool isEverywhere = m_eq.section().empty();
    for (const auto& [field, bar] : m_bars) {
        bar->setEnabled(band != nullptr && (isEverywhere || field->info.glides) &&
                        session::appliesTo(field->info.id, band->kind));
        bar->setValue(band == nullptr ? field->info.standard : field->get(*band));
    }
    const auto& s = m_desk.document.session();
    const auto* element = s.element(m_desk.document.selected());
    const bool isStereo =
        element == nullptr ? s.bus(m_desk.document.selected()) != nullptr : element->isStereo();
    m_partTitle->setVisible(isStereo);
    m_parts->setVisible(isStereo);
    m_parts->setEnabled(band != nullptr && isEverywhere);
    m_parts->setChosen(band == nullptr ? -1 : static_cast<int>(band->part));
    m_kinds->setEnabled(band != nullptr && isEverywhere);
    int index = -1;
    for (int i = 0; band != nullptr && i < static_cast<int>(std::size(kToneKinds)); ++i)
        if (kToneKinds[static_cast<std::size_t>(i)] == band->kind)
            index = i;
    m_kinds->setCurrentIndex(index);
    m_on->setEnabled(band != nullptr && isEverywhere);
    m_on->setChecked(band != nullptr && band->isOn);
    m_hear->setEnabled(band != nullptr);
    m_remove->setEnabled(band != nullptr);
    const auto* module = m_eq.module();
    m_amount->setEnabled(module != nullptr);
    m_amount->setValue(module == nullptr ? 100 : m_eq.settings().amountPercent);
    const auto* shown = m_rows->currentIndex() == 1 ? m_lowEnd->module() : module;
    m_order->setModule(shown == nullptr ? session::kNoId : shown->id);
    refreshDynamics();
}

void ToneBench::refreshDynamics() {
    const auto* band = m_eq.band();
    const bool can = band != nullptr && dsp::canBeDynamic(band->kind);
    const bool is = can && band->isDynamic();
    m_dynamics->setEnabled(can && m_eq.section().empty());
    m_dynamics->setChosen(band == nullptr ? -1
                                          : static_cast<int>(can ? band->dynamics : dsp::Dynamics::None));
    m_detailRow->setVisible(is || m_parts->isVisibleTo(m_detailRow));
    m_keyed->setVisible(is);
    m_key->setVisible(is && band->isKeyed);
    m_dynamicBars->setVisible(is);
    m_keyed->setText(is && band->isKeyed ? tr("listens to") : tr("listens to another"));
    m_keyed->setChecked(is && band->isKeyed);
    m_moves->setText(movesText());
    if (is && band->isKeyed)
        refreshKeys();
}

QString ToneBench::movesText() const {
    const auto* band = m_eq.band();
    if (band == nullptr || !band->isDynamic() || band->isKeyed)
        return {};
    const auto hits = m_desk.tones.bandHits(*band);
    if (!hits || hits->ownHits == 0)
        return {};
    const double above = band->thresholdDb - hits->ownDb;
    QString text = tr("threshold %1 dB %2 own hits; moves on %3 of %4")
                       .arg(dbText(std::abs(above)), above < 0 ? tr("under") : tr("over"))
                       .arg(hits->ownMoved)
                       .arg(hits->ownHits);
    if (hits->spillHits > 0)
        text += tr(", %1 of %2 spill").arg(hits->spillMoved).arg(hits->spillHits);
    return text;
}

void ToneBench::refreshKeys() {
    const auto& s = m_desk.document.session();
    const auto* module = m_eq.module();
    m_key->clear();
    m_key->addItem(tr("itself"), session::kNoId);
    for (const auto& e : s.elements)
        if (e->id != m_desk.document.selected())
            m_key->addItem(QString::fromStdString(e->name), e->id);
    for (const auto& b : s.buses)
        if (b->id != m_desk.document.selected())
            m_key->addItem(QString::fromStdString(b->name), b->id);
    m_key->setCurrentIndex(module == nullptr ? 0 : std::max(0, m_key->findData(module->key)));
}

void ToneBench::setKey(int index) {
    const auto* module = m_eq.module();
    if (module == nullptr)
        return;
    const auto& s = m_desk.document.session();
    const Id owner = m_desk.document.selected();
    auto next = session::withKey(s, owner, module->id, m_key->itemData(index).toInt());
    if (next)
        m_desk.document.edit(*next, tr("Key, %1").arg(QString::fromStdString(s.nameOf(owner))));
    else
        m_desk.document.addNote(QString::fromStdString(next.error().message));
    refreshKeys();
}

void ToneBench::takeLine() {
    QString text = m_line->text().trimmed();
    const auto* chosen = m_eq.band();
    const bool sets = text.startsWith(QLatin1Char('='));
    if (sets)
        text.remove(0, 1);
    const auto move =
        session::parseMove(text.toStdString(), sets && chosen != nullptr ? *chosen : dsp::EqBand{});
    if (!move) {
        m_desk.document.addNote(QString::fromStdString(move.error().message));
        m_line->selectAll();
        return;
    }
    if (sets && chosen != nullptr) {
        m_eq.changeBand(tr("Band"), [&](dsp::EqBand& b) { b = *move; });
    } else {
        if (m_rows->currentIndex() != 0)
            showPart(Part::Repair);
        m_eq.addBand(*move);
    }
    m_line->clear();
}

void ToneBench::editField(const BandField& field, double value, bool isDragging) {
    m_eq.changeBand(
        words(field.info.words), [&](dsp::EqBand& b) { field.set(b, value); },
        isDragging ? words(field.info.id) : QString());
}

void ToneBench::hear(bool on) {
    const auto* band = m_eq.band();
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
