#include "app/bench/clean_bench.h"

#include "app/theme/theme.h"
#include "app/widgets/choice_row.h"
#include "app/widgets/value_bar.h"
#include "app/widgets/words.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"

#include <QCheckBox>
#include <QComboBox>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QRegularExpression>
#include <QVBoxLayout>

#include <array>
#include <cmath>

namespace cask::app {
namespace {

constexpr std::array<const char*, 4> kLevelBars = {"open_db", "close_db", "floor_db", "ratio"};
constexpr std::array<const char*, 4> kTimeBars = {"attack_ms", "hold_ms", "release_ms", "look_ahead_ms"};
constexpr std::array<const char*, 4> kDetectorBars = {"window_ms", "low_cut_hz", "high_cut_hz",
                                                      "cut_slope_db_per_oct"};
constexpr std::array<const char*, 3> kReachBars = {"lift_db", "from_hz", "to_hz"};

} // namespace

CleanBench::CleanBench(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_gate(new GateModel(desk.document, desk.analyst, desk.hits, this)),
      m_hits(new GateHitsPicture(desk, *m_gate, this)), m_shape(new GateShapePicture(desk, *m_gate, this)),
      m_bands(new GateBandsPicture(desk, *m_gate, this)), m_add(new QPushButton(tr("Add a gate"), this)),
      m_on(new QCheckBox(tr("on"), this)), m_key(new KeyBox(this)), m_section(new SectionBox(this)),
      m_without(new QPushButton(tr("bypass"), this)), m_detector(new QPushButton(tr("key listen"), this)),
      m_removed(new QPushButton(tr("removed"), this)), m_copy(new QPushButton(tr("copy to similar"), this)),
      m_remove(new QPushButton(tr("remove"), this)), m_moreButton(new MoreButton(this)) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    layout->addWidget(m_hits, 5);
    auto* row = new QHBoxLayout;
    row->setSpacing(8);
    row->addWidget(m_shape, 5);
    row->addWidget(m_bands, 4);
    layout->addLayout(row, 4);
    layout->addWidget(makeActions());
    layout->addLayout(makeBars(kLevelBars));
    layout->addLayout(makeBars(kTimeBars));
    m_more = makeMore();
    m_moreButton->opens(m_more);
    layout->addWidget(m_more);

    for (const char* id : {"hold_ms", "release_ms"}) {
        auto* b = bar(QLatin1String(id));
        b->readSpecial = [this](const QString& text) { return readNoteValue(text); };
        b->setToolTip(b->toolTip() + tr(" Or a note value: 1/16, 1/8t, 1/8."));
    }
    connect(m_hits, &GateHitsPicture::wantsToHear, this, &CleanBench::hearHit);
    connect(m_gate, &GateModel::changed, this, &CleanBench::refresh);
    connect(&desk.document, &Document::changed, this, &CleanBench::refresh);
    connect(&desk.document, &Document::selectionChanged, this, &CleanBench::refresh);
    refresh();
}

QWidget* CleanBench::makeActions() {
    auto* widget = new QWidget(this);
    auto* row = new QHBoxLayout(widget);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(8);
    const auto label = [&](const QString& text) {
        auto* l = new QLabel(text, widget);
        l->setFont(textFont(12));
        return l;
    };
    m_add->setToolTip(tr("A gate before everything else, its times from how this drum sounds"));
    m_key->setAccessibleName(tr("What the gate listens to"));
    m_key->setToolTip(tr("What opens the gate: this microphone, another one, or a bus; silent ones too"));
    m_section->setToolTip(tr("Thresholds, floor, ratio, attack, hold and release may differ in a section"));
    m_without->setToolTip(tr("Hold to hear from here on without the gate, as loud as it is with it"));
    m_detector->setToolTip(tr("Hold to hear what the detector hears"));
    m_removed->setToolTip(tr("Hold to hear only what the gate takes away"));
    m_copy->setToolTip(
        tr("The same gate for the other microphones of this kind of drum, at their own levels"));
    row->addWidget(m_add);
    row->addWidget(m_on);
    row->addWidget(label(tr("key")));
    row->addWidget(m_key);
    row->addWidget(label(tr("section")));
    row->addWidget(m_section);
    row->addStretch();
    row->addWidget(label(tr("hear")));
    for (QPushButton* button : {m_without, m_detector, m_removed}) {
        button->setFocusPolicy(Qt::TabFocus);
        row->addWidget(button);
    }
    row->addWidget(m_moreButton);
    connect(m_add, &QPushButton::clicked, this, [this] {
        m_gate->addGate();
        m_hits->setFocus();
    });
    connect(m_on, &QCheckBox::clicked, m_gate, &GateModel::setOn);
    connect(m_key, &QComboBox::activated, this, [this](int index) {
        m_gate->setKey(m_key->itemData(index).toInt());
        refresh();
    });
    connect(m_section, &QComboBox::activated, this, &CleanBench::refresh);
    connect(m_remove, &QPushButton::clicked, m_gate, &GateModel::removeGate);
    connect(m_copy, &QPushButton::clicked, m_gate, &GateModel::copyToSimilar);
    const auto hold = [this](QPushButton* button, graph::ModuleOutput output) {
        connect(button, &QPushButton::pressed, this, [this, output] {
            if (const auto* m = m_gate->module())
                listen({m->id, output});
        });
        connect(button, &QPushButton::released, this, [this] { listen({}); });
    };
    connect(m_without, &QPushButton::pressed, this, [this] { hearWithout(true); });
    connect(m_without, &QPushButton::released, this, [this] { hearWithout(false); });
    hold(m_detector, graph::ModuleOutput::Detector);
    hold(m_removed, graph::ModuleOutput::Removed);
    return widget;
}

QWidget* CleanBench::makeMore() {
    auto* widget = new QWidget(this);
    auto* layout = new QVBoxLayout(widget);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    auto* choices = new QHBoxLayout;
    choices->setSpacing(10);
    for (const char* id : {"detector", "release_curve", "reach"})
        choices->addWidget(makeChoice(id));
    m_inverted = new QCheckBox(tr("inverted"), widget);
    m_inverted->setToolTip(tr("Lets through what lies between the hits"));
    connect(m_inverted, &QCheckBox::clicked, this,
            [this](bool on) { editField("inverted", on ? 1 : 0, false); });
    choices->addWidget(m_inverted);
    choices->addStretch();
    choices->addWidget(m_copy);
    choices->addWidget(m_remove);
    layout->addLayout(choices);
    layout->addLayout(makeBars(kDetectorBars));
    layout->addLayout(makeBars(kReachBars));
    return widget;
}

QHBoxLayout* CleanBench::makeBars(std::span<const char* const> ids) {
    auto* row = new QHBoxLayout;
    row->setSpacing(16);
    for (const char* id : ids)
        row->addWidget(makeBar(id), 1);
    return row;
}

ValueBar* CleanBench::makeBar(const char* id) {
    auto* bar = new ValueBar(session::field(session::fieldsOf<dsp::GateSettings>(), id).info, this);
    connect(bar, &ValueBar::valueEdited, this, [this, name = std::string(id)](double value, bool dragging) {
        editField(name, value, dragging);
    });
    connect(bar, &ValueBar::editFinished, &m_desk.document, &Document::endMerge);
    m_bars.push_back(bar);
    return bar;
}

ChoiceRow* CleanBench::makeChoice(const char* id) {
    const auto& field = session::field(session::fieldsOf<dsp::GateSettings>(), id);
    QStringList list;
    for (const auto word : field.info.choiceWords)
        list << words(word);
    auto* row = new ChoiceRow(list, this);
    row->setAccessibleName(words(field.info.words));
    row->setToolTip(words(field.info.help));
    connect(row, &ChoiceRow::choiceEdited, this,
            [this, name = std::string(id)](int index) { editField(name, index, false); });
    m_choices.emplace_back(&field, row);
    return row;
}

ValueBar* CleanBench::bar(const QString& id) const {
    for (auto* b : m_bars)
        if (words(b->info().id) == id)
            return b;
    return nullptr;
}

void CleanBench::editField(const std::string& id, double value, bool isDragging) {
    const std::string section = m_section->section();
    if (!section.empty() && session::field(session::fieldsOf<dsp::GateSettings>(), id).info.glides)
        m_gate->setSectionValue(section, id, value);
    else
        m_gate->edit(id, value, isDragging);
}

/// The value of the section that is set, or of the gate.
double CleanBench::shownValue(const session::Field<dsp::GateSettings>& field) const {
    const std::string section = m_section->section();
    if (const auto* m = m_gate->module(); m != nullptr && !section.empty())
        for (const auto& change : m->changes)
            if (change.section == section)
                if (const auto it = change.values.find(std::string(field.info.id)); it != change.values.end())
                    return it->second;
    return field.get(m_gate->settings());
}

void CleanBench::refresh() {
    const auto* m = m_gate->module();
    const bool has = m != nullptr;
    m_add->setVisible(!has);
    m_add->setEnabled(m_gate->element() != session::kNoId);
    m_on->setVisible(has);
    m_on->setChecked(has && m->isOn);
    m_key->fill(m_desk.document.session(), m_gate->element(), m);
    m_section->fill(m_desk.document.session());
    for (QWidget* w :
         {static_cast<QWidget*>(m_key), static_cast<QWidget*>(m_section), static_cast<QWidget*>(m_without),
          static_cast<QWidget*>(m_detector), static_cast<QWidget*>(m_removed), static_cast<QWidget*>(m_copy),
          static_cast<QWidget*>(m_remove)})
        w->setEnabled(has);
    const auto now = m_gate->settings();
    const bool inSection = !m_section->section().empty();
    for (auto* b : m_bars) {
        const auto& field = session::field(session::fieldsOf<dsp::GateSettings>(), b->info().id);
        b->setValue(shownValue(field));
        bool isUsed = has && (!inSection || field.info.glides);
        if (field.info.id == "from_hz")
            isUsed = isUsed && (now.reach == dsp::GateReach::Above || now.reach == dsp::GateReach::Between);
        if (field.info.id == "to_hz")
            isUsed = isUsed && (now.reach == dsp::GateReach::Below || now.reach == dsp::GateReach::Between);
        b->setEnabled(isUsed);
    }
    for (auto& [field, row] : m_choices) {
        row->setChosen(static_cast<int>(field->get(now)));
        row->setEnabled(has && !inSection);
    }
    m_inverted->setChecked(now.isInverted);
    m_inverted->setEnabled(has && !inSection);
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
    const QString section = m_section->currentData().toString();
    const auto* counts = &report->all;
    if (const auto* material = m_gate->material(); material != nullptr && !section.isEmpty())
        for (std::size_t i = 0; i < material->sections.size() && i < report->sections.size(); ++i)
            if (QString::fromStdString(material->sections[i].name) == section)
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
        text += tr("; %n tail(s) cut", nullptr, c.tailsCut);
    if (c.chatter > 0)
        text += tr("; chatter: re-opens %n time(s)", nullptr, c.chatter);
    if (c.clicks > 0)
        text += tr("; %n click(s)", nullptr, c.clicks);
    return m->isOn ? text : tr("off; would: %1").arg(text);
}

void CleanBench::hearHit(int hit) {
    const auto* material = m_gate->material();
    if (material == nullptr || hit < 0 || hit >= static_cast<int>(material->hits.size()))
        return;
    const double t = material->hits[static_cast<std::size_t>(hit)].timeS;
    m_desk.playback.audition({{m_gate->element()}, std::max(0.0, t - 0.15), t + 0.5, {}, {}});
}

/// The audition brings what is changed to the loudness of the session as it is.
void CleanBench::hearWithout(bool on) {
    constexpr double kStretchS = 8;
    auto& playback = m_desk.playback;
    const auto* m = m_gate->module();
    if (!on || m == nullptr) {
        playback.endAudition();
        return;
    }
    const double at = playback.positionS();
    playback.audition({{},
                       at,
                       at + kStretchS,
                       [id = m->id](session::Session s) {
                           return session::withModule(std::move(s), id,
                                                      [](session::Module& x) { x.isOn = false; });
                       },
                       {}});
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
