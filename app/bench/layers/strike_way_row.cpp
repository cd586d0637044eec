#include "app/bench/layers/strike_way_row.h"

#include "app/theme/theme.h"
#include "app/widgets/choice_row.h"
#include "app/widgets/value_bar.h"
#include "core/layers/louder_strikes.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QVBoxLayout>

#include <cmath>

namespace cask::app {
namespace {

enum Choice { kUnder, kInstead, kLouder };

constexpr double kUnpartedDb = -6; // of hits that are all about as loud

constexpr session::ParameterInfo kLevelInfo{"from_db",
                                            "from",
                                            session::ParameterKind::Number,
                                            session::Unit::DecibelSpan,
                                            -40,
                                            0,
                                            kUnpartedDb,
                                            session::Scale::Linear,
                                            0.5,
                                            {},
                                            "Level from which hits strike the sound, against the loudest."};

} // namespace

StrikeWayRow::StrikeWayRow(QWidget* parent)
    : QWidget(parent),
      m_choice(new ChoiceRow({tr("under it"), tr("instead of it"), tr("under its louder hits")}, this)),
      m_level(new ValueBar(kLevelInfo, this)), m_count(new QLabel(this)) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(4);
    m_count->setFont(textFont(12));
    m_choice->setAccessibleName(tr("How the sound plays"));
    m_choice->setToolTip(tr("Under the recorded sound; instead of it, which is muted; or under those of its "
                            "hits alone that are loud enough"));
    m_level->setMinimumWidth(130);
    layout->addWidget(m_choice);
    auto* louder = new QHBoxLayout;
    louder->setSpacing(8);
    louder->addWidget(m_level);
    louder->addWidget(m_count);
    louder->addStretch(1);
    layout->addLayout(louder);
    connect(m_choice, &ChoiceRow::choiceEdited, this, &StrikeWayRow::refresh);
    connect(m_level, &ValueBar::valueEdited, this, [this](double value, bool) {
        m_level->setValue(value);
        refresh();
    });
    refresh();
}

void StrikeWayRow::setStrikes(session::Id element, std::vector<layers::Strike> strikes) {
    if (element != m_element) {
        m_element = element;
        m_choice->setChosen(0);
    }
    if (strikes != m_strikes) {
        m_strikes = std::move(strikes);
        const double from = layers::louderFromDb(m_strikes).value_or(kUnpartedDb);
        m_level->setValue(std::clamp(std::round(2 * from) / 2, kLevelInfo.least, kLevelInfo.most));
    }
    refresh();
}

StrikeWay StrikeWayRow::way() const {
    StrikeWay way;
    way.isInstead = m_choice->chosen() == kInstead;
    if (m_choice->chosen() == kLouder)
        way.fromDb = m_level->value();
    return way;
}

QString StrikeWayRow::countText() const {
    return tr("%1 of %2 hits").arg(layers::countFrom(m_strikes, m_level->value())).arg(m_strikes.size());
}

void StrikeWayRow::refresh() {
    const bool hasLevel = m_choice->chosen() == kLouder;
    m_level->setVisible(hasLevel);
    m_count->setVisible(hasLevel);
    m_count->setText(countText());
}

} // namespace cask::app
