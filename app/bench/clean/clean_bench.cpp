#include "app/bench/clean/clean_bench.h"

#include "app/bench/module/chain_order_row.h"
#include "app/bench/module/module_actions.h"
#include "app/bench/module/module_fields.h"
#include "app/theme/theme.h"
#include "app/widgets/value_bar.h"
#include "app/widgets/words.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"

#include <QHBoxLayout>
#include <QPushButton>
#include <QRegularExpression>
#include <QVBoxLayout>

#include <algorithm>

namespace cask::app {
namespace {

/// What a gate has no use for is not to be set.
bool isGateValueUsed(const session::ModuleSettings& settings, std::string_view id) {
    const auto* gate = std::get_if<dsp::GateSettings>(&settings);
    if (gate == nullptr)
        return true;
    using dsp::GateReach;
    if (id == "from_hz")
        return gate->reach == GateReach::Above || gate->reach == GateReach::Between;
    if (id == "to_hz")
        return gate->reach == GateReach::Below || gate->reach == GateReach::Between;
    return true;
}

} // namespace

CleanBench::CleanBench(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_gate(new GateModel(desk.document, desk.analyst, desk.hits, this)),
      m_hits(new GateHitsPicture(desk, *m_gate, this)), m_lower(new QWidget(this)),
      m_shape(new GateShapePicture(desk, *m_gate, m_lower)),
      m_bands(new GateBandsPicture(desk, *m_gate, m_lower)),
      m_actions(new ModuleActions(desk.document, {tr("gate")}, this)),
      m_fields(new ModuleFields(desk.document, dsp::GateSettings{}, this)),
      m_more(new ModuleFields(desk.document, dsp::GateSettings{}, this)),
      m_order(new ChainOrderRow(desk, this)), m_detector(new QPushButton(tr("key listen"), this)),
      m_removed(new QPushButton(tr("removed"), this)), m_copy(new QPushButton(tr("copy to similar"), this)),
      m_moreButton(new MoreButton(this)) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    layout->addWidget(m_hits, 5);
    auto* row = new QHBoxLayout(m_lower);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(8);
    row->addWidget(m_shape, 5);
    row->addWidget(m_bands, 4);
    layout->addWidget(m_lower, 4);
    makeHearing();
    makeFields();
    layout->addWidget(m_actions);
    layout->addWidget(m_fields);
    layout->addWidget(m_more);
    layout->addWidget(m_order);
    m_order->takeKeysOf(this);
    connect(m_hits, &GateHitsPicture::wantsToHear, this, &CleanBench::hearHit);
    connect(m_gate, &GateModel::changed, this, &CleanBench::refresh);
    connect(&desk.document, &Document::changed, this, &CleanBench::refresh);
    connect(&desk.document, &Document::selectionChanged, this, &CleanBench::refresh);
    refresh();
}

void CleanBench::makeHearing() {
    m_detector->setToolTip(tr("Hold to hear what the detector hears"));
    m_removed->setToolTip(tr("Hold to hear only what the gate takes away"));
    m_copy->setToolTip(
        tr("The same gate for the other microphones of this kind of drum, at their own levels"));
    m_actions->offerOnlyOne();
    m_actions->addButton().setToolTip(
        tr("A gate before everything else, its times from how this drum sounds"));
    for (QPushButton* button : {m_detector, m_removed})
        m_order->addHearing(button);
    m_actions->addToEnd(m_moreButton);
    connect(m_actions, &ModuleActions::wantsAdd, this, [this] {
        m_gate->addGate();
        m_hits->setFocus();
    });
    connect(m_actions, &ModuleActions::wantsRefresh, this, &CleanBench::refresh);
    connect(m_copy, &QPushButton::clicked, m_gate, &GateModel::copyToSimilar);
    const auto hold = [this](QPushButton* button, graph::ModuleOutput output) {
        connect(button, &QPushButton::pressed, this, [this, output] {
            if (const auto* m = m_gate->module())
                listen({m->id, output});
        });
        connect(button, &QPushButton::released, this, [this] { listen({}); });
    };
    hold(m_detector, graph::ModuleOutput::Detector);
    hold(m_removed, graph::ModuleOutput::Removed);
}

void CleanBench::makeFields() {
    m_fields->addRow({"open_db", "close_db", "floor_db", "ratio"});
    m_fields->addRow({"attack_ms", "hold_ms", "release_ms", "look_ahead_ms"});
    m_more->addRow({"detector", "release_curve", "inverted"})->addWidget(m_copy);
    m_more->addRow({"window_ms", "low_cut_hz", "high_cut_hz", "cut_slope_db_per_oct"});
    m_more->addRow({"reach", "lift_db", "from_hz", "to_hz"});
    m_moreButton->opens(m_more);
    connect(m_moreButton, &QToolButton::toggled, this, &CleanBench::giveWay);
    for (auto* fields : {m_fields, m_more}) {
        fields->isUsed = isGateValueUsed;
        fields->goAlong = GateModel::keepThresholds;
    }
    for (const char* id : {"hold_ms", "release_ms"}) {
        auto* b = bar(QLatin1String(id));
        b->readSpecial = [this](const QString& text) { return readNoteValue(text); };
        b->setToolTip(b->toolTip() + tr(" Or a note value: 1/16, 1/8t, 1/8."));
    }
}

ValueBar* CleanBench::bar(const QString& id) const {
    const std::string name = id.toStdString();
    auto* shown = m_fields->bar(name);
    return shown != nullptr ? shown : m_more->bar(name);
}

void CleanBench::refresh() {
    const auto* m = m_gate->module();
    std::vector<const session::Module*> all;
    if (m != nullptr)
        all.push_back(m);
    m_actions->showModules(m_gate->element(), all, m);
    for (auto* fields : {m_fields, m_more})
        fields->showModule(m_gate->at(), m_gate->settings(), m_actions->section());
    m_order->setModule(m_gate->at().module);
    for (QWidget* w : {m_detector, m_removed, m_copy})
        w->setEnabled(m != nullptr);
    emit summaryChanged();
}

QString CleanBench::summary() const {
    if (m_gate->element() == session::kNoId)
        return {};
    const auto* m = m_gate->module();
    if (m == nullptr)
        return tr("no gate");
    const auto* report = m_gate->report();
    if (report == nullptr)
        return tr("listening");
    // A section that is set speaks of itself.
    const std::string section = m_actions->section();
    const auto* counts = &report->all;
    if (const auto* material = m_gate->material(); material != nullptr && !section.empty())
        for (std::size_t i = 0; i < material->sections.size() && i < report->sections.size(); ++i)
            if (material->sections[i].name == section)
                counts = &report->sections[i];
    const auto& c = *counts;
    QString text = tr("keeps %1 of %2 hits").arg(c.ownKept()).arg(c.own());
    if (c.ghosts > 0)
        text += tr(", %1 of %2 ghosts").arg(c.ghostsKept).arg(c.ghosts);
    text += tr("; lets %1 of %2 spill hits through, spill %3 dB")
                .arg(c.spillPassing)
                .arg(c.spill)
                .arg(dbText(c.spillChangeDb()));
    if (c.tailsCut > 0)
        text += tr("; %1 cut").arg(counted(c.tailsCut, tr("tail"), tr("tails")));
    if (c.chatter > 0)
        text += tr("; chatter: re-opens %1").arg(counted(c.chatter, tr("time"), tr("times")));
    if (c.clicks > 0)
        text += tr("; %1").arg(counted(c.clicks, tr("click"), tr("clicks")));
    return m->isOn ? text : tr("off; would: %1").arg(text);
}

void CleanBench::hearHit(int hit) {
    const auto* material = m_gate->material();
    if (material == nullptr || hit < 0 || hit >= static_cast<int>(material->hits.size()))
        return;
    const double t = material->hits[static_cast<std::size_t>(hit)].timeS;
    m_desk.playback.audition({{m_gate->element()}, std::max(0.0, t - 0.15), t + 0.5, {}, {}});
}

void CleanBench::listen(graph::Listening listening) {
    m_desk.playback.listenTo(listening);
}

std::optional<double> CleanBench::readNoteValue(const QString& text) const {
    static const QRegularExpression kNote(QStringLiteral("^\\s*(\\d+)\\s*/\\s*(\\d+)\\s*([t.]?)\\s*$"));
    const auto match = kNote.match(text);
    const auto* a = m_desk.hits.analysis();
    if (!match.hasMatch() || a == nullptr || !a->tempo.isKnown || match.captured(2).toInt() == 0)
        return std::nullopt;
    const double whole = 4 * 60000 / a->tempo.bpm;
    const double factor = match.captured(3) == QLatin1String("t")   ? 2.0 / 3
                          : match.captured(3) == QLatin1String(".") ? 1.5
                                                                    : 1;
    return whole * match.captured(1).toDouble() / match.captured(2).toDouble() * factor;
}

/// In a low window all values and all pictures have no room together.
void CleanBench::giveWay() {
    constexpr int kRoomForAll = 570;
    m_lower->setVisible(!m_moreButton->isChecked() || height() >= kRoomForAll);
}

void CleanBench::resizeEvent(QResizeEvent* event) {
    QWidget::resizeEvent(event);
    giveWay();
}

void CleanBench::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    m_gate->setActive(true);
}

void CleanBench::hideEvent(QHideEvent* event) {
    QWidget::hideEvent(event);
    m_gate->setActive(false);
    listen({});
}

} // namespace cask::app
