#include "app/bench/layers/layer_fields.h"

#include "app/bench/layers/layer_sounds_box.h"
#include "app/bench/layers/layer_values.h"
#include "app/bench/module/module_boxes.h"
#include "app/theme/theme.h"
#include "app/widgets/choice_row.h"
#include "app/widgets/value_bar.h"

#include <QCheckBox>
#include <QComboBox>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

constexpr int kColumns = 4;

QString wordsOf(const LayerValue& value) {
    return QString::fromUtf8(value.info.words.data(), static_cast<qsizetype>(value.info.words.size()));
}

/// What is said where a value does nothing.
QString wordsForNothing(std::string_view id) {
    if (id == "low_cut_hz" || id == "high_cut_hz" || id == "drive_db" || id == "level_spread_db")
        return LayerFields::tr("off");
    if (id == "decay_ms")
        return LayerFields::tr("as it is");
    if (id == "end_ms")
        return LayerFields::tr("its end");
    return {};
}

QString everyWords(double v) {
    const int n = static_cast<int>(std::lround(v));
    return n == 1   ? LayerFields::tr("hit")
           : n == 2 ? LayerFields::tr("2nd hit")
           : n == 3 ? LayerFields::tr("3rd hit")
                    : LayerFields::tr("%1th hit").arg(n);
}

} // namespace

LayerFields::LayerFields(const Desk& desk, LayerModel& model, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_model(model), m_more(new QWidget(this)),
      m_moreButton(new MoreButton(this)),
      m_hits(new ChoiceRow({tr("all hits"), tr("accents"), tr("no ghosts"), tr("ghosts")}, this)),
      m_purpose(new ChoiceRow(
          {tr("anything"), tr("impact"), tr("lows"), tr("body"), tr("tail"), tr("texture")}, m_more)),
      m_where(new QComboBox(m_more)), m_byVelocity(new QCheckBox(tr("sounds by velocity"), m_more)),
      m_sounds(new QPushButton(tr("Sounds\u2026"), m_more)) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    auto* few = new QWidget(this);
    layout->addWidget(few);
    addBars(few, false);
    auto* row = new QHBoxLayout;
    row->setSpacing(12);
    m_hits->setAccessibleName(tr("Strikes that the layer plays"));
    row->addWidget(m_hits);
    row->addWidget(addCheck(
        tr("polarity inverted"), this, [](const layers::Layer& l) { return l.isInverted; },
        [](layers::Layer& l, bool on) { l.isInverted = on; }));
    row->addWidget(addCheck(
        tr("on"), this, [](const layers::Layer& l) { return l.isOn; },
        [](layers::Layer& l, bool on) { l.isOn = on; }));
    row->addStretch(1);
    row->addWidget(m_moreButton);
    layout->addLayout(row);

    auto* more = new QVBoxLayout(m_more);
    more->setContentsMargins(0, 0, 0, 0);
    more->setSpacing(6);
    auto* rest = new QWidget(m_more);
    more->addWidget(rest);
    addBars(rest, true);
    auto* words = new QHBoxLayout;
    words->setSpacing(12);
    auto* checks = new QHBoxLayout;
    checks->setSpacing(12);
    auto* caption = new QLabel(tr("there for"), m_more);
    caption->setFont(textFont(12));
    words->addWidget(caption);
    m_purpose->setAccessibleName(tr("What the layer is there for"));
    words->addWidget(m_purpose);
    checks->addWidget(addCheck(
        tr("never in rolls"), m_more, [](const layers::Layer& l) { return l.rule.neverInRolls; },
        [](layers::Layer& l, bool on) { l.rule.neverInRolls = on; }));
    checks->addWidget(addCheck(
        tr("pitch keeps length"), m_more, [](const layers::Layer& l) { return l.keepsLength; },
        [](layers::Layer& l, bool on) { l.keepsLength = on; }));
    checks->addWidget(addCheck(
        tr("alternates by chance"), m_more, [](const layers::Layer& l) { return l.alternatesByChance; },
        [](layers::Layer& l, bool on) { l.alternatesByChance = on; }));
    m_byVelocity->setToolTip(tr("Softer and harder sounds, put by their loudness, each for its part of the "
                                "velocities; else they play in turn"));
    checks->addWidget(m_byVelocity);
    connect(m_byVelocity, &QCheckBox::clicked, &m_model, &LayerModel::setByVelocity);
    m_where->setAccessibleName(tr("Where the layer plays"));
    words->addStretch(1);
    words->addWidget(m_where);
    checks->addStretch(1);
    m_sounds->setToolTip(tr("Which sounds the layer has, and for which velocities"));
    checks->addWidget(m_sounds);
    connect(m_sounds, &QPushButton::clicked, this, [this] {
        if (m_soundsBox == nullptr) {
            m_soundsBox = new LayerSoundsBox(m_model, window());
            m_soundsBox->setAttribute(Qt::WA_DeleteOnClose);
        }
        m_soundsBox->show();
        m_soundsBox->raise();
    });
    more->addLayout(words);
    more->addLayout(checks);
    layout->addWidget(m_more);
    m_moreButton->opens(m_more);
    // In their place: there is room for one of both.
    connect(m_moreButton, &QToolButton::toggled, few, [few](bool isOpen) { few->setVisible(!isOpen); });

    connect(m_hits, &ChoiceRow::choiceEdited, this, [this](int index) {
        edit([&](layers::Layer& l) { l.rule.kind = static_cast<layers::StrikeKind>(index); }, tr("strikes"));
    });
    connect(m_purpose, &ChoiceRow::choiceEdited, this, [this](int index) {
        edit([&](layers::Layer& l) { l.purpose = static_cast<layers::LayerPurpose>(index); }, tr("purpose"));
    });
    connect(m_where, &QComboBox::activated, this, [this](int index) {
        const auto stretch = m_where->itemData(index).toPointF();
        edit(
            [&](layers::Layer& l) {
                l.rule.fromS = stretch.x();
                l.rule.toS = stretch.y();
            },
            tr("stretch"));
    });
    connect(&model, &LayerModel::changed, this, &LayerFields::refresh);
    connect(&desk.playback, &Playback::transportChanged, this, &LayerFields::refresh);
    refresh();
}

LayerSoundsBox* LayerFields::soundsBox() const {
    return m_soundsBox;
}

void LayerFields::addBars(QWidget* parent, bool isMore) {
    auto* grid = new QGridLayout(parent);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setHorizontalSpacing(16);
    grid->setVerticalSpacing(4);
    int place = 0;
    for (std::size_t i = 0; i < layerValues().size(); ++i) {
        const auto& value = layerValues()[i];
        if (value.isMore != isMore)
            continue;
        auto* bar = new ValueBar(value.info, parent);
        bar->setAccessibleName(wordsOf(value));
        if (const QString nothing = wordsForNothing(value.info.id); !nothing.isEmpty())
            bar->sayValue = [nothing, standard = value.info.standard](double v) {
                return v == standard ? nothing : QString();
            };
        if (value.info.id == "rule/every")
            bar->sayValue = everyWords;
        if (value.info.id.ends_with("velocity") || value.info.id == "rule/first")
            bar->sayValue = [](double v) { return QString::number(std::lround(v)); };
        grid->addWidget(bar, place / kColumns, place % kColumns);
        ++place;
        m_bars.emplace_back(i, bar);
        connect(bar, &ValueBar::valueEdited, this, [this, i](double to, bool isDragging) {
            if (isDragging)
                return; // heard once it is let go: the stack is struck anew
            const auto& v = layerValues()[i];
            edit([&](layers::Layer& l) { v.set(l, to); }, wordsOf(v));
        });
        connect(bar, &ValueBar::editFinished, this, [this, i, bar] {
            const auto& v = layerValues()[i];
            const auto* layer = chosen();
            // A value that was set elsewhere may lie beyond the bar: it stays until the bar is moved.
            const bool isWithin =
                layer != nullptr && v.get(*layer) >= v.info.least && v.get(*layer) <= v.info.most;
            if (isWithin && std::abs(v.get(*layer) - bar->value()) > 1e-9)
                edit([&](layers::Layer& l) { v.set(l, bar->value()); }, wordsOf(v));
        });
    }
}

QCheckBox* LayerFields::addCheck(const QString& words, QWidget* parent, bool (*get)(const layers::Layer&),
                                 void (*set)(layers::Layer&, bool)) {
    auto* box = new QCheckBox(words, parent);
    m_checks.push_back({box, get, set});
    connect(box, &QCheckBox::clicked, this,
            [this, set, words](bool on) { edit([&](layers::Layer& l) { set(l, on); }, words); });
    return box;
}

ValueBar& LayerFields::bar(std::string_view name) const {
    return *std::find_if(m_bars.begin(), m_bars.end(), [&](const auto& b) {
                return layerValues()[b.first].info.id == name;
            })->second;
}

const layers::Layer* LayerFields::chosen() const {
    const auto* stack = m_model.stack();
    return stack == nullptr || stack->layers.empty()
               ? nullptr
               : &stack->layers[static_cast<std::size_t>(m_model.chosen())];
}

void LayerFields::edit(const std::function<void(layers::Layer&)>& change, const QString& what) {
    const int at = m_model.chosen();
    const auto* layer = chosen();
    if (layer != nullptr)
        m_model.edit([&](layers::Stack& stack) { change(stack.layers[static_cast<std::size_t>(at)]); },
                     tr("%1 of %2").arg(what, QString::fromStdString(layer->name)));
}

void LayerFields::fillWhere(const layers::LayerRule& rule) {
    m_where->clear();
    m_where->addItem(tr("everywhere"), QPointF(0, 0));
    for (const auto& section : m_desk.document.session().sections)
        m_where->addItem(
            tr("in %1, %2 s")
                .arg(QString::fromStdString(section.name), QString::number(section.startS, 'f', 1)),
            QPointF(section.startS, section.endS));
    if (m_desk.playback.hasLoop())
        m_where->addItem(tr("in the loop"),
                         QPointF(m_desk.playback.loopStartS(), m_desk.playback.loopEndS()));
    const QPointF now(rule.fromS, rule.toS);
    int at = m_where->findData(now);
    if (at < 0) {
        m_where->addItem(
            rule.toS > 0
                ? tr("%1 to %2 s").arg(QString::number(rule.fromS, 'f', 1), QString::number(rule.toS, 'f', 1))
                : tr("from %1 s on").arg(QString::number(rule.fromS, 'f', 1)),
            now);
        at = m_where->count() - 1;
    }
    m_where->setCurrentIndex(at);
}

void LayerFields::refresh() {
    const auto* layer = chosen();
    setEnabled(layer != nullptr);
    if (layer == nullptr)
        return;
    for (const auto& [i, bar] : m_bars)
        bar->setValue(layerValues()[i].get(*layer));
    for (const auto& check : m_checks)
        check.box->setChecked(check.get(*layer));
    m_hits->setChosen(static_cast<int>(layer->rule.kind));
    m_purpose->setChosen(static_cast<int>(layer->purpose));
    m_byVelocity->setEnabled(layer->kit.empty() && layer->sounds.size() > 1);
    m_byVelocity->setChecked(m_model.isByVelocity());
    fillWhere(layer->rule);
}

} // namespace cask::app
