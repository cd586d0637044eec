#include "app/bench/punch/punch_bench.h"

#include "app/bench/module/chain_order_row.h"
#include "app/bench/module/module_fields.h"
#include "app/bench/punch/driver_row.h"
#include "app/bench/punch/hit_marks_picture.h"
#include "app/bench/punch/pump_picture.h"
#include "app/bench/punch/wish_row.h"
#include "app/theme/theme.h"
#include "core/session/kinds.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QPushButton>
#include <QToolButton>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

using dsp::CompressorSettings;

/// What a direction that raises begins with: without a range it would raise silence without end.
constexpr double kRaisingRangeDb = 12;

QString changeText(double db) {
    return (db >= 0.05 ? QStringLiteral("+") : QString()) + dbText(db);
}

/// Whether a part of the spectrum has a lower, or an upper, corner.
bool hasCorner(dsp::GateReach reach, bool isLower) {
    return reach == dsp::GateReach::Between ||
           reach == (isLower ? dsp::GateReach::Above : dsp::GateReach::Below);
}

bool isPunchValueUsed(const session::ModuleSettings& settings, std::string_view id) {
    const auto* s = std::get_if<CompressorSettings>(&settings);
    if (s == nullptr)
        return true;
    const bool isBoth = s->channels == dsp::CompressorChannels::Both;
    if (id == "link_percent" || id == "band")
        return isBoth;
    if (id == "from_hz" || id == "to_hz")
        return isBoth && hasCorner(s->reach, id == "from_hz");
    return true;
}

} // namespace

PunchBench::PunchBench(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_punch(new PunchModel(desk.document, desk.analyst, desk.hits, this)),
      m_curve(new LevelCurvePicture(desk, *m_punch, this)), m_hit(new HitGainPicture(desk, *m_punch, this)),
      m_marks(new HitMarksPicture(desk, *m_punch, this)), m_drivers(new DriverRow(desk, this)),
      m_fields(new ModuleFields(desk.document, CompressorSettings{}, this)),
      m_more(new ModuleFields(desk.document, CompressorSettings{}, this)),
      m_shaperFields(new ModuleFields(desk.document, dsp::TransientSettings{}, this)),
      m_pumpFields(new ModuleFields(desk.document, dsp::PumpSettings{}, this)),
      m_limiterFields(new ModuleFields(desk.document, dsp::LimiterSettings{}, this)),
      m_pumpPicture(new PumpPicture(desk, this)), m_wishes(new WishRow(desk, this)),
      m_otherButton(new QToolButton(this)), m_shape(new QLabel(this)), m_order(new ChainOrderRow(desk, this)),
      m_actions(new ModuleActions(desk.document, {tr("compressor"), tr("shaper")}, this)),
      m_moreButton(new MoreButton(this)) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    auto* pictures = new QHBoxLayout;
    pictures->setSpacing(8);
    pictures->addWidget(m_curve, 4);
    pictures->addWidget(m_hit, 5);
    pictures->addWidget(m_pumpPicture, 9);
    layout->addLayout(pictures, 1);
    layout->addWidget(m_marks);
    layout->addWidget(m_drivers);
    m_actions->addToEnd(m_moreButton);
    m_actions->addButton().setToolTip(
        tr("A compressor after the gate and the repair equaliser, its threshold "
           "under the middle of the hits; a second one works after the first"));
    m_shape->setFont(textFont(12));
    m_shape->setWordWrap(true);
    m_shape->setAccessibleName(tr("Shape of the hits before and after"));
    m_shape->setToolTip(
        tr("Medians over own hits, what comes out made as loud as what goes in. Beginnings: the "
           "first 10 ms. Punch: these against the 110 ms after them. Tails: 120 to 400 ms"));
    layout->addWidget(m_shape);
    m_actions->addButton(1).setToolTip(
        tr("Raises or lowers the beginnings and ends of hits, however loud they are"));
    makeOtherButton();
    layout->addWidget(m_actions);
    makeFields();
    layout->addWidget(m_fields);
    layout->addWidget(m_more);
    layout->addWidget(m_shaperFields);
    layout->addWidget(m_pumpFields);
    layout->addWidget(m_limiterFields);
    layout->addWidget(m_wishes);
    layout->addWidget(m_order);
    m_moreButton->opens(m_more);
    m_order->addInFront(tr("section"), &m_actions->sectionBox());
    m_order->takeKeysOf(this);
    for (QWidget* picture : {static_cast<QWidget*>(m_curve), static_cast<QWidget*>(m_hit)})
        picture->setFocusPolicy(Qt::StrongFocus);
    connect(m_actions, &ModuleActions::wantsAdd, this,
            [this](int kind) { kind == 0 ? m_punch->add() : m_punch->addShaper(); });
    connect(m_actions, &ModuleActions::moduleChosen, m_punch, &PunchModel::choose);
    connect(m_actions, &ModuleActions::wantsRefresh, this, &PunchBench::refresh);
    connect(m_punch, &PunchModel::changed, this, &PunchBench::refresh);
    connect(&desk.document, &Document::changed, this, &PunchBench::refresh);
    connect(&desk.document, &Document::selectionChanged, this, &PunchBench::refresh);
    refresh();
}

void PunchBench::makeFields() {
    m_pumpFields->addRow({"depth_db", "smooth_ms"});
    m_pumpFields->addRow({"note"});
    m_limiterFields->addRow({"ceiling_db", "release_ms", "look_ahead_ms"});
    m_limiterFields->addRow({"release"});
    m_fields->addRow({"threshold_db", "ratio", "knee_db", "range_db"});
    m_fields->addRow({"attack_ms", "release_ms", "makeup_db", "mix_percent"});
    m_more->addRow({"direction", "channels"});
    m_more->addRow({"release", "detector", "character"});
    m_more->addRow({"band", "from_hz", "to_hz"});
    m_more->addRow({"makeup"});
    m_more->addRow({"look_ahead_ms", "window_ms", "link_percent"});
    m_more->addRow({"low_cut_hz", "high_cut_hz", "cut_slope_db_per_oct"});
    m_shaperFields->addRow({"attack_percent", "attack_ms", "mix_percent"});
    m_shaperFields->addRow({"sustain_percent", "sustain_ms", "link_percent"});
    m_shaperFields->addRow({"band", "from_hz", "to_hz"});
    m_shaperFields->isUsed = [](const session::ModuleSettings& settings, std::string_view id) {
        const auto* s = std::get_if<dsp::TransientSettings>(&settings);
        return s == nullptr || (id != "from_hz" && id != "to_hz") || hasCorner(s->reach, id == "from_hz");
    };
    for (auto* fields : {m_fields, m_more}) {
        fields->isUsed = isPunchValueUsed;
        fields->goAlong = [this](session::Module& m, const std::string& id) {
            auto* s = std::get_if<CompressorSettings>(&m.settings);
            const double noRange = CompressorSettings{}.rangeDb;
            if (s != nullptr && id == "makeup_db")
                s->makeup = dsp::CompressorMakeup::Fixed; // what is typed is no longer a match
            if (s != nullptr && id == "makeup" && s->makeup == dsp::CompressorMakeup::Matched)
                if (const auto* shapes = m_punch->exactShapes(); shapes != nullptr)
                    s->makeupDb = std::round(10 * (s->makeupDb + shapes->matchDb)) / 10;
            if (s != nullptr && id == "direction")
                s->rangeDb = s->direction == dsp::CompressorDirection::Down
                                 ? (s->rangeDb == kRaisingRangeDb ? noRange : s->rangeDb)
                                 : (s->rangeDb == noRange ? kRaisingRangeDb : s->rangeDb);
        };
    }
}

void PunchBench::makeOtherButton() {
    m_otherButton->setText(tr("+ other"));
    m_otherButton->setToolTip(
        tr("A pump draws the gain over a note value, on the grid of the take; a limiter holds "
           "the true peak under a ceiling"));
    m_otherButton->setPopupMode(QToolButton::InstantPopup);
    auto* menu = new QMenu(m_otherButton);
    menu->addAction(tr("pump"), m_punch, &PunchModel::addPump);
    menu->addAction(tr("limiter"), m_punch, &PunchModel::addLimiter);
    m_otherButton->setMenu(menu);
    m_actions->addToEnd(m_otherButton);
}

void PunchBench::refresh() {
    m_actions->showModules(m_punch->owner(), m_punch->modules(), m_punch->module());
    const std::string section = m_actions->section();
    const bool isCompressor = m_punch->isMeasured() && !m_punch->isShaper() && !m_punch->isLimiter();
    const ModuleAt none{m_punch->owner(), session::kNoId};
    const auto show = [&](ModuleFields* fields, bool on) {
        fields->showModule(on ? m_punch->at() : none, section);
        fields->setVisible(on);
    };
    show(m_fields, isCompressor);
    show(m_more, isCompressor);
    show(m_shaperFields, m_punch->isShaper());
    show(m_pumpFields, m_punch->isPump());
    show(m_limiterFields, m_punch->isLimiter());
    m_pumpPicture->showModule(m_punch->isPump() ? m_punch->at() : none);
    m_pumpPicture->setVisible(m_punch->isPump());
    m_curve->setVisible(isCompressor);
    m_hit->setVisible(m_punch->isMeasured());
    m_marks->setVisible(m_punch->isMeasured() && m_punch->module() != nullptr);
    m_drivers->showModule(m_punch->owner(), m_punch->at().module);
    m_punch->setSection(section);
    m_moreButton->setVisible(isCompressor);
    m_more->setVisible(isCompressor && m_moreButton->isChecked());
    m_otherButton->setEnabled(m_desk.document.session().chain(m_punch->owner()) != nullptr);
    m_shape->setVisible(m_punch->isMeasured());
    m_shape->setText(shapeText());
    m_order->setModule(m_punch->at().module);
    emit summaryChanged();
}

QString PunchBench::shapeText() const {
    const auto* m = m_punch->module();
    const auto* shapes = m_punch->shapes();
    if (m == nullptr)
        return {};
    if (m->key != session::kNoId)
        return tr("It listens to something else: the shape of own hits is not compared.");
    if (shapes == nullptr)
        return tr("At equal loudness: not measured yet");
    if (shapes->hits == 0)
        return tr("At equal loudness: no hits");
    QStringList parts{
        tr("beginnings %1 dB").arg(changeText(shapes->keptAttackDb)),
        tr("punch %1 to %2 dB").arg(dbText(shapes->punchBeforeDb), dbText(shapes->punchAfterDb)),
        tr("tails %1 dB").arg(changeText(shapes->sustainDb))};
    if (shapes->decayBeforeMs > 0 && shapes->decayAfterMs > 0)
        parts << tr("decay %1 to %2 ms")
                     .arg(std::lround(shapes->decayBeforeMs))
                     .arg(std::lround(shapes->decayAfterMs));
    parts << tr("range %1 to %2 dB").arg(dbText(shapes->rangeBeforeDb), dbText(shapes->rangeAfterDb));
    if (shapes->ghostsDb != 0)
        parts << tr("ghosts %1 dB").arg(changeText(shapes->ghostsDb));
    if (!shapes->spill.empty())
        parts << tr("spill of %1 %2 dB")
                     .arg(m_punch->drumName(shapes->spill.front().drum),
                          changeText(shapes->spill.front().changeDb));
    return tr("At equal loudness: %1").arg(parts.join(QStringLiteral(", ")));
}

QString PunchBench::summary() const {
    const auto* m = m_punch->module();
    if (m == nullptr)
        return tr("no compressor");
    if (!m_punch->isMeasured())
        return QString::fromStdString(session::wordsOf(*m) + " " + session::cellText(m->settings));
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

void PunchBench::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    m_punch->setActive(true);
}

void PunchBench::hideEvent(QHideEvent* event) {
    QWidget::hideEvent(event);
    m_punch->setActive(false);
}

} // namespace cask::app
