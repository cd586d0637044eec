#include "app/window/monitor_row.h"

#include "app/theme/theme.h"
#include "app/widgets/value_bar.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>

#include <cmath>

namespace cask::app {
namespace {

const session::ParameterInfo& monitorLevel() {
    static const session::ParameterInfo info{
        "monitor_db",
        "monitor",
        session::ParameterKind::Number,
        session::Unit::Decibel,
        -60,
        12,
        -20,
        session::Scale::Linear,
        1,
        {},
        "Level of what you hear; it changes nothing in the session and in no file."};
    return info;
}

} // namespace

MonitorRow::MonitorRow(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_level(new ValueBar(monitorLevel(), this)), m_dim(nullptr),
      m_mono(nullptr), m_swap(nullptr), m_loudness(new QLabel(this)), m_correlation(new QLabel(this)),
      m_peak(new QPushButton(this)) {
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(6);
    m_level->setFixedWidth(118);
    layout->addWidget(m_level);
    m_dim = addSwitch(tr("dim"), tr("Softer by 20 dB (Shift+D)"), &engine::MonitorSettings::isDimmed);
    m_mono = addSwitch(tr("mono"), tr("Both sides hear half their sum (Shift+N)"),
                       &engine::MonitorSettings::isMono);
    m_swap = addSwitch(tr("swap"), tr("Left and right change places, in what you hear alone (Shift+W)"),
                       &engine::MonitorSettings::isSwapped);
    auto* meters = new QVBoxLayout;
    meters->setSpacing(0);
    for (auto* label : {m_loudness, m_correlation}) {
        label->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
        label->setMinimumWidth(88);
        meters->addWidget(label);
    }
    m_loudness->setFont(textFont(14));
    m_loudness->setAccessibleName(tr("Momentary loudness"));
    m_loudness->setToolTip(tr("Momentary loudness of the mix (0.4 s), before the monitor's level"));
    m_correlation->setFont(textFont(11));
    m_correlation->setAccessibleName(tr("Correlation"));
    m_correlation->setToolTip(
        tr("Of left and right over 0.4 s: +1 the same, 0 nothing in common; below 0 the "
           "mix loses in mono"));
    layout->addLayout(meters);
    m_peak->setFlat(true);
    m_peak->setFont(textFont(12));
    m_peak->setFixedWidth(86);
    m_peak->setStyleSheet(
        QStringLiteral("text-align: right; padding: 1px 2px; border: none; background: transparent;"));
    m_peak->setFocusPolicy(Qt::TabFocus);
    m_peak->setAccessibleName(tr("Held true peak"));
    m_peak->setToolTip(tr("Greatest true peak of the mix since it was cleared; a click clears it (Shift+P)"));
    layout->addWidget(m_peak);
    connect(m_level, &ValueBar::valueEdited, this, [this](double value) {
        auto settings = m_desk.playback.monitor();
        settings.levelDb = value;
        m_desk.playback.setMonitor(settings);
    });
    connect(m_peak, &QPushButton::clicked, this, [this] {
        m_desk.playback.engine().clearHeldPeak();
        showMeters();
    });
    connect(&desk.playback, &Playback::monitorChanged, this, &MonitorRow::refresh);
    for (const auto signal : {&Playback::tick, &Playback::transportChanged, &Playback::deviceChanged})
        connect(&desk.playback, signal, this, &MonitorRow::showMeters);
    refresh();
    showMeters();
}

QPushButton* MonitorRow::addSwitch(const QString& words, const QString& help,
                                   bool engine::MonitorSettings::*flag) {
    auto* button = new QPushButton(words, this);
    button->setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Fixed); // a wide window gives its room elsewhere
    button->setCheckable(true);
    button->setFont(textFont(12));
    button->setStyleSheet(QStringLiteral("padding: 2px 7px;"));
    button->setFocusPolicy(Qt::TabFocus);
    button->setToolTip(help);
    button->setAccessibleName(tr("Monitor: %1").arg(words));
    layout()->addWidget(button);
    connect(button, &QPushButton::toggled, this, [this, flag](bool on) {
        auto settings = m_desk.playback.monitor();
        settings.*flag = on;
        m_desk.playback.setMonitor(settings);
    });
    return button;
}

QString MonitorRow::loudnessText() const {
    return m_loudness->text();
}

QString MonitorRow::correlationText() const {
    return m_correlation->text();
}

void MonitorRow::refresh() {
    const auto settings = m_desk.playback.monitor();
    m_level->setValue(settings.levelDb);
    for (const auto& [button, on] : {std::pair(m_dim, settings.isDimmed), std::pair(m_mono, settings.isMono),
                                     std::pair(m_swap, settings.isSwapped)}) {
        const QSignalBlocker quiet(button);
        button->setChecked(on);
    }
}

void MonitorRow::showMeters() {
    const bool plays = m_desk.playback.isPlaying();
    const auto& meter = m_desk.playback.engine().mixMeter();
    const double lufs = plays ? meter.momentaryLufs() : kSilenceDb;
    m_loudness->setText(lufs > -70 ? tr("%1 LUFS").arg(dbText(lufs)) : tr("\u2013 LUFS"));
    const double correlation = std::round(100 * meter.correlation()) / 100;
    m_correlation->setText(plays && correlation != 0
                               ? tr("correlation %1%2")
                                     .arg(correlation < 0 ? QStringLiteral("\u2212") : QStringLiteral("+"))
                                     .arg(std::abs(correlation), 0, 'f', 2)
                               : tr("correlation \u2013"));
    const double peak = meter.heldPeakDb();
    m_peak->setText(peak > -70 ? tr("%1 dBTP").arg(dbText(peak)) : tr("\u2013 dBTP"));
    if (QPalette palette = m_peak->palette();
        palette.color(QPalette::ButtonText) != (peak > 0 ? theme().ember : theme().ink)) {
        palette.setColor(QPalette::ButtonText, peak > 0 ? theme().ember : theme().ink);
        m_peak->setPalette(palette);
    }
}

} // namespace cask::app
