#include "app/strip/ride_rule_box.h"

#include "app/bench/layers/layer_values.h"
#include "app/theme/theme.h"
#include "app/widgets/choice_row.h"
#include "app/widgets/value_bar.h"
#include "core/project/played_files.h"

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

constexpr int kBarsInRow = 2;
constexpr double kMostLevelChangeDb = 60; // a send that is off is opened by so much

} // namespace

RideRuleBox::RideRuleBox(const Desk& desk, const session::RideChoice& value, QWidget* parent)
    : QDialog(parent), m_desk(desk), m_value(value), m_hitsOf(new QComboBox(this)),
      m_kinds(new ChoiceRow({tr("all hits"), tr("accents"), tr("no ghosts"), tr("ghosts")}, this)),
      m_barBox(new QWidget(this)), m_said(new QLabel(this)), m_draw(new QPushButton(tr("Draw it"), this)) {
    using session::Unit;
    setWindowTitle(tr("Ride the %1 by a rule").arg(QString::fromStdString(value.words)));
    setMinimumWidth(520);
    auto* layout = new QVBoxLayout(this);
    layout->setSpacing(12);
    auto* which = new QHBoxLayout;
    m_hitsOf->setAccessibleName(tr("Whose hits"));
    m_kinds->setAccessibleName(tr("Which hits"));
    which->addWidget(m_hitsOf);
    which->addStretch(1);
    which->addWidget(m_kinds);
    layout->addLayout(which);
    auto* grid = new QGridLayout(m_barBox);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setHorizontalSpacing(16);
    layout->addWidget(m_barBox);
    const auto& s = desk.document.session();
    for (const auto& e : s.elements)
        if (e->id == value.place.owner || !desk.hits.strokesOf(e->id).empty())
            m_hitsOf->addItem(tr("hits of %1").arg(QString::fromStdString(e->name)), e->id);
    m_hitsOf->setCurrentIndex(std::max(0, m_hitsOf->findData(value.place.owner)));

    const bool isLevel = value.place.value.ends_with("level_db");
    const double down = isLevel ? -kMostLevelChangeDb : value.info->least - value.set;
    const double up = isLevel ? kMostLevelChangeDb : value.info->most - value.set;
    auto change = number("change", "moves by", isLevel ? Unit::DecibelSpan : value.info->unit,
                         {std::min(down, 0.0), std::max(up, 0.0), 0, isLevel ? 0.5 : (up - down) / 100},
                         "At the hits that are meant, in the value's unit.");
    addBar(change);
    addBar(number("every", "at every", Unit::None, {1, 16, 1, 1}, "Every Nth of the hits that are left."),
           [](double v) {
               const auto n = std::lround(v);
               return n == 1   ? tr("hit")
                      : n == 2 ? tr("2nd hit")
                      : n == 3 ? tr("3rd hit")
                               : tr("%1th hit").arg(n);
           });
    addBar(number("first", "beginning with", Unit::None, {1, 16, 1, 1}, "Which of them is the first."),
           [](double v) { return QString::number(std::lround(v)); });
    addBar(number("chance", "chance", Unit::Percent, {0, 100, 100, 5}, "The same ones each time."));
    addBar(number("hold", "stays for", Unit::Milliseconds, {0, 4000, 120, 10}, "Behind the hit."));
    addBar(number("back", "back within", Unit::Milliseconds, {1, 4000, 60, 10}, "Behind that."));
    m_said->setFont(textFont(12));
    m_said->setWordWrap(true);
    layout->addWidget(m_said);
    auto* buttons = new QHBoxLayout;
    auto* close = new QPushButton(tr("Close"), this);
    buttons->addStretch(1);
    buttons->addWidget(m_draw);
    buttons->addWidget(close);
    layout->addLayout(buttons);
    m_draw->setDefault(true);
    connect(close, &QPushButton::clicked, this, &QDialog::close);
    connect(m_draw, &QPushButton::clicked, this, &RideRuleBox::draw);
    connect(m_hitsOf, &QComboBox::activated, this, &RideRuleBox::refresh);
    connect(m_kinds, &ChoiceRow::choiceEdited, this, &RideRuleBox::refresh);
    connect(&desk.hits, &HitModel::hitsChanged, this, &RideRuleBox::refresh);
    // Of another session, nothing of it stands any more.
    connect(&desk.document, &Document::opened, this, &QDialog::close);
    refresh();
}

void RideRuleBox::addBar(const session::ParameterInfo& info, const std::function<QString(double)>& say) {
    auto* bar = new ValueBar(info, m_barBox);
    bar->setValue(info.standard);
    bar->setAccessibleName(QString::fromUtf8(info.words.data(), static_cast<qsizetype>(info.words.size())));
    bar->sayValue = say;
    const int place = static_cast<int>(m_bars.size());
    static_cast<QGridLayout*>(m_barBox->layout())->addWidget(bar, place / kBarsInRow, place % kBarsInRow);
    m_bars[std::string(info.id)] = bar;
    connect(bar, &ValueBar::valueEdited, this, [this, bar](double v, bool) {
        bar->setValue(v);
        refresh();
    });
}

layers::LayerRule RideRuleBox::rule() const {
    layers::LayerRule made;
    made.kind = static_cast<layers::StrikeKind>(std::max(0, m_kinds->chosen()));
    made.every = static_cast<int>(std::lround(m_bars.at("every")->value()));
    made.first = static_cast<int>(std::lround(m_bars.at("first")->value()));
    made.chancePercent = m_bars.at("chance")->value();
    return made;
}

std::vector<layers::Strike> RideRuleBox::strikes() const {
    const auto analysis = m_desk.hits.shared();
    return analysis == nullptr
               ? std::vector<layers::Strike>()
               : project::strikesOf(m_desk.document.session(), *analysis, m_hitsOf->currentData().toInt());
}

QString RideRuleBox::said() const {
    return m_said->text();
}

void RideRuleBox::refresh() {
    const auto all = strikes();
    const auto meant = layers::strikesOf(rule(), all).size();
    m_said->setText(all.empty() ? tr("There are no hits to go by.")
                                : tr("%1 of %2 hits are meant. What was drawn of this value before goes.")
                                      .arg(meant)
                                      .arg(all.size()));
    m_draw->setEnabled(meant > 0 && m_bars.at("change")->value() != 0);
}

void RideRuleBox::draw() {
    const auto& s = m_desk.document.session();
    if (s.output(m_value.place.owner) == nullptr)
        return;
    project::HitShape shape;
    shape.change = m_bars.at("change")->value();
    shape.holdMs = m_bars.at("hold")->value();
    shape.backMs = m_bars.at("back")->value();
    m_desk.document.edit(project::withRuledRide(s, m_value.place, strikes(), rule(), shape),
                         tr("Ride by rule, %1 of %2")
                             .arg(QString::fromStdString(m_value.words),
                                  QString::fromStdString(s.nameOf(m_value.place.owner))),
                         {}, Document::Spreads::No);
}

} // namespace cask::app
