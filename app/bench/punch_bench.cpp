#include "app/bench/punch_bench.h"

#include "app/bench/chain_order_row.h"
#include "app/bench/module_fields.h"
#include "app/theme/theme.h"
#include "app/widgets/choice_row.h"
#include "app/widgets/words.h"
#include "core/session/kinds.h"

#include <QCheckBox>
#include <QComboBox>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QPushButton>
#include <QSignalBlocker>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

using dsp::CompressorSettings;

/// What a direction that raises begins with: without a range it would raise silence without end.
constexpr double kRaisingRangeDb = 12;

bool isUsed(const session::ModuleSettings& settings, std::string_view id) {
    const auto* s = std::get_if<CompressorSettings>(&settings);
    if (s == nullptr)
        return true;
    if (id == "link_percent")
        return s->channels == dsp::CompressorChannels::Both;
    return true;
}

} // namespace

PunchBench::PunchBench(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_punch(new PunchModel(desk.document, desk.analyst, desk.hits, this)),
      m_curve(new LevelCurvePicture(desk, *m_punch, this)), m_hit(new HitGainPicture(desk, *m_punch, this)),
      m_fields(new ModuleFields(desk.document, CompressorSettings{}, this)),
      m_more(new ModuleFields(desk.document, CompressorSettings{}, this)),
      m_order(new ChainOrderRow(desk, this)), m_add(new QPushButton(tr("Add a compressor"), this)),
      m_on(new QCheckBox(tr("on"), this)), m_which(new QComboBox(this)), m_key(new KeyBox(this)),
      m_tap(new ChoiceRow(
          {words(session::keyTapInfo().choiceWords[0]), words(session::keyTapInfo().choiceWords[1])}, this)),
      m_section(new SectionBox(this)), m_remove(new QPushButton(tr("remove"), this)),
      m_moreButton(new MoreButton(this)) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    auto* pictures = new QHBoxLayout;
    pictures->setSpacing(8);
    pictures->addWidget(m_curve, 4);
    pictures->addWidget(m_hit, 5);
    layout->addLayout(pictures, 1);
    layout->addWidget(makeActions());
    makeFields();
    layout->addWidget(m_fields);
    layout->addWidget(m_more);
    layout->addWidget(m_order);
    m_moreButton->opens(m_more);
    for (QWidget* picture : {static_cast<QWidget*>(m_curve), static_cast<QWidget*>(m_hit)})
        picture->setFocusPolicy(Qt::StrongFocus);
    connect(m_punch, &PunchModel::changed, this, &PunchBench::refresh);
    connect(&desk.document, &Document::changed, this, &PunchBench::refresh);
    connect(&desk.document, &Document::selectionChanged, this, &PunchBench::refresh);
    refresh();
}

QWidget* PunchBench::makeActions() {
    auto* widget = new QWidget(this);
    auto* row = new QHBoxLayout(widget);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(8);
    const auto label = [&](const QString& text) {
        auto* l = new QLabel(text, widget);
        l->setFont(textFont(12));
        return l;
    };
    m_add->setToolTip(tr("A compressor after the gate and the repair equaliser, its threshold under the "
                         "middle of the hits; a second one works after the first"));
    m_which->setAccessibleName(tr("Which compressor"));
    m_which->setToolTip(tr("Which of its compressors is set here"));
    m_key->setAccessibleName(tr("What the compressor listens to"));
    m_key->setToolTip(tr("What moves the gain: its own sound, another element, or a bus"));
    m_tap->setAccessibleName(words(session::keyTapInfo().words));
    m_tap->setToolTip(words(session::keyTapInfo().help));
    m_section->setToolTip(tr("Values that glide may differ in a section"));
    row->addWidget(m_add);
    row->addWidget(m_which);
    row->addWidget(m_on);
    row->addWidget(label(tr("key")));
    row->addWidget(m_key);
    row->addWidget(m_tap);
    row->addWidget(label(tr("section")));
    row->addWidget(m_section);
    row->addStretch();
    row->addWidget(m_remove);
    row->addWidget(m_moreButton);
    connect(m_add, &QPushButton::clicked, m_punch, &PunchModel::add);
    connect(m_on, &QCheckBox::clicked, this,
            [this](bool on) { setModuleOn(m_desk.document, m_punch->at(), on); });
    connect(m_remove, &QPushButton::clicked, this, [this] { removeModule(m_desk.document, m_punch->at()); });
    connect(m_which, &QComboBox::activated, this,
            [this](int index) { m_punch->choose(m_which->itemData(index).toInt()); });
    connect(m_key, &QComboBox::activated, this, [this](int index) {
        setModuleKey(m_desk.document, m_punch->at(), m_key->itemData(index).toInt());
        refresh(); // refused, it shows what is
    });
    connect(m_tap, &ChoiceRow::choiceEdited, this, [this](int index) {
        setModuleKeyTap(m_desk.document, m_punch->at(), static_cast<session::KeyTap>(index));
        refresh();
    });
    connect(m_section, &QComboBox::activated, this, &PunchBench::refresh);
    return widget;
}

void PunchBench::makeFields() {
    m_fields->addRow({"threshold_db", "ratio", "knee_db", "range_db"});
    m_fields->addRow({"attack_ms", "release_ms", "makeup_db", "mix_percent"});
    m_more->addRow({"direction", "channels"});
    m_more->addRow({"release", "detector"});
    m_more->addRow({"look_ahead_ms", "window_ms", "link_percent"});
    m_more->addRow({"low_cut_hz", "high_cut_hz", "cut_slope_db_per_oct"});
    for (auto* fields : {m_fields, m_more}) {
        fields->isUsed = isUsed;
        fields->goAlong = [](session::Module& m, const std::string& id) {
            auto* s = std::get_if<CompressorSettings>(&m.settings);
            const double noRange = CompressorSettings{}.rangeDb;
            if (s != nullptr && id == "direction")
                s->rangeDb = s->direction == dsp::CompressorDirection::Down
                                 ? (s->rangeDb == kRaisingRangeDb ? noRange : s->rangeDb)
                                 : (s->rangeDb == noRange ? kRaisingRangeDb : s->rangeDb);
        };
    }
}

void PunchBench::fillWhich() {
    const QSignalBlocker blocker(m_which);
    m_which->clear();
    for (const auto* m : m_punch->modules())
        m_which->addItem(words(session::wordsOf(*m)), m->id);
    m_which->setCurrentIndex(std::max(0, m_which->findData(m_punch->at().module)));
    m_which->setVisible(m_which->count() > 1);
}

/// Where an element is listened to, when one is.
void PunchBench::showTap() {
    const auto* m = m_punch->module();
    const bool isElement = m != nullptr && m_desk.document.session().element(m->key) != nullptr;
    m_tap->setVisible(isElement);
    if (isElement)
        m_tap->setChosen(static_cast<int>(m->keyTap));
}

void PunchBench::refresh() {
    const auto* m = m_punch->module();
    const bool has = m != nullptr;
    m_add->setText(has ? tr("Add another") : tr("Add a compressor"));
    m_add->setEnabled(m_desk.document.session().chain(m_punch->owner()) != nullptr);
    m_on->setVisible(has);
    m_on->setChecked(has && m->isOn);
    fillWhich();
    m_key->fill(m_desk.document.session(), m_punch->owner(), m);
    m_section->fill(m_desk.document.session());
    showTap();
    for (QWidget* w :
         {static_cast<QWidget*>(m_key), static_cast<QWidget*>(m_section), static_cast<QWidget*>(m_remove)})
        w->setEnabled(has);
    const std::string section = m_section->section();
    m_fields->showModule(m_punch->at(), section);
    m_more->showModule(m_punch->at(), section);
    m_order->setModule(m_punch->at().module);
    emit summaryChanged();
}

QString PunchBench::summary() const {
    const auto* m = m_punch->module();
    if (m == nullptr)
        return tr("no compressor");
    const auto* c = m_punch->compression();
    if (c == nullptr)
        return tr("listening");
    if (c->hits.empty())
        return tr("no hits");
    std::vector<double> kept;
    for (const auto& hit : c->hits)
        kept.push_back(hit.keptDb());
    const auto middle = kept.begin() + static_cast<std::ptrdiff_t>(kept.size() / 2);
    std::nth_element(kept.begin(), middle, kept.end());
    const double change = c->middleChangeDb();
    const QString text = (change > 0 ? tr("raises the middle hit by up to %1 dB, its peak %2 dB; ")
                                     : tr("lowers the middle hit by up to %1 dB, its peak %2 dB; "))
                             .arg(dbText(std::abs(change)), dbText(*middle)) +
                         tr("recovers before %1 of %2 hits").arg(c->recovered).arg(c->followed);
    return m->isOn ? text : tr("off; would: %1").arg(text);
}

bool PunchBench::hold(int key, bool on) {
    if (key == Qt::Key_P)
        m_order->hearBypassed(on);
    else if (key == Qt::Key_S)
        m_order->hearSwapped(on);
    else
        return false;
    return true;
}

void PunchBench::keyPressEvent(QKeyEvent* event) {
    if (event->isAutoRepeat() || event->modifiers() != Qt::NoModifier || !hold(event->key(), true))
        QWidget::keyPressEvent(event);
}

void PunchBench::keyReleaseEvent(QKeyEvent* event) {
    if (event->isAutoRepeat() || !hold(event->key(), false))
        QWidget::keyReleaseEvent(event);
}

void PunchBench::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    m_punch->setActive(true);
}

void PunchBench::hideEvent(QHideEvent* event) {
    QWidget::hideEvent(event);
    m_punch->setActive(false);
    m_order->hearBypassed(false);
}

} // namespace cask::app
