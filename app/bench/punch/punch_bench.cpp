#include "app/bench/punch/punch_bench.h"

#include "app/bench/module/chain_order_row.h"
#include "app/bench/module/module_fields.h"
#include "app/theme/theme.h"
#include "core/session/kinds.h"

#include <QHBoxLayout>
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
      m_order(new ChainOrderRow(desk, this)),
      m_actions(new ModuleActions(desk.document, {tr("compressor")}, this)),
      m_moreButton(new MoreButton(this)) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    auto* pictures = new QHBoxLayout;
    pictures->setSpacing(8);
    pictures->addWidget(m_curve, 4);
    pictures->addWidget(m_hit, 5);
    layout->addLayout(pictures, 1);
    m_actions->addToEnd(m_moreButton);
    m_actions->addButton().setToolTip(
        tr("A compressor after the gate and the repair equaliser, its threshold "
           "under the middle of the hits; a second one works after the first"));
    layout->addWidget(m_actions);
    makeFields();
    layout->addWidget(m_fields);
    layout->addWidget(m_more);
    layout->addWidget(m_order);
    m_moreButton->opens(m_more);
    m_order->takeKeysOf(this);
    for (QWidget* picture : {static_cast<QWidget*>(m_curve), static_cast<QWidget*>(m_hit)})
        picture->setFocusPolicy(Qt::StrongFocus);
    connect(m_actions, &ModuleActions::wantsAdd, m_punch, &PunchModel::add);
    connect(m_actions, &ModuleActions::moduleChosen, m_punch, &PunchModel::choose);
    connect(m_actions, &ModuleActions::wantsRefresh, this, &PunchBench::refresh);
    connect(m_punch, &PunchModel::changed, this, &PunchBench::refresh);
    connect(&desk.document, &Document::changed, this, &PunchBench::refresh);
    connect(&desk.document, &Document::selectionChanged, this, &PunchBench::refresh);
    refresh();
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

void PunchBench::refresh() {
    m_actions->showModules(m_punch->owner(), m_punch->modules(), m_punch->module());
    const std::string section = m_actions->section();
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

void PunchBench::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    m_punch->setActive(true);
}

void PunchBench::hideEvent(QHideEvent* event) {
    QWidget::hideEvent(event);
    m_punch->setActive(false);
}

} // namespace cask::app
