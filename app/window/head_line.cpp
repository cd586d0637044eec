#include "app/window/head_line.h"

#include "app/theme/theme.h"
#include "app/widgets/choice_row.h"
#include "app/window/monitor_row.h"
#include "core/session/states.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPainter>
#include <QPushButton>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

/// Room for the session's name: what the rest of the line leaves.
int namePx(int widthPx) {
    constexpr int kRestPx = 1060;
    return std::clamp(widthPx - kRestPx, 70, 320);
}

} // namespace

HeadLine::HeadLine(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_name(new QLabel(this)),
      m_pages(new ChoiceRow({tr("Bench"), tr("Proof"), tr("Quick"), tr("Shelf")}, this)),
      m_play(new QPushButton(tr("play"), this)), m_time(new QLabel(this)),
      m_compare(new QPushButton(tr("compare"), this)), m_match(new QLabel(this)),
      m_monitor(new MonitorRow(desk, this)), m_device(new QLabel(this)) {
    setFixedHeight(42);
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(12, 4, 6, 4);
    layout->setSpacing(4); // the narrowest window holds all of it
    m_name->setFont(textFont(14, QFont::DemiBold));
    m_name->setMinimumWidth(70);
    m_pages->setAccessibleName(tr("Page"));
    m_play->setToolTip(tr("Play or stop (Space)"));
    m_play->setFocusPolicy(Qt::TabFocus);
    m_time->setFont(textFont(14));
    m_time->setMinimumWidth(64);
    m_compare->setToolTip(tr("Hold to hear the untouched kit at the same loudness (C); Shift+C keeps it."));
    m_compare->setFocusPolicy(Qt::TabFocus);
    m_match->setFont(textFont(12));
    m_device->setFont(textFont(11));
    layout->addWidget(m_name);
    layout->addSpacing(8);
    layout->addWidget(m_pages);
    layout->addWidget(m_play);
    layout->addWidget(m_time);
    layout->addStretch();
    layout->addWidget(m_compare);
    auto* texts = new QVBoxLayout;
    texts->setSpacing(0);
    texts->addWidget(m_match);
    texts->addWidget(m_device);
    layout->addLayout(texts);
    layout->addWidget(m_monitor);
    connect(m_play, &QPushButton::clicked, &desk.playback, &Playback::togglePlay);
    connect(m_compare, &QPushButton::pressed, this, [this] { m_desk.playback.setComparing(true); });
    connect(m_compare, &QPushButton::released, this, [this] { m_desk.playback.setComparing(false); });
    for (const auto signal : {&Document::changed, &Document::opened, &Document::savedStateChanged})
        connect(&desk.document, signal, this, &HeadLine::refresh);
    for (const auto signal :
         {&Playback::transportChanged, &Playback::comparisonChanged, &Playback::deviceChanged})
        connect(&desk.playback, signal, this, &HeadLine::refresh);
    connect(&desk.playback, &Playback::tick, this, &HeadLine::showTime);
    refresh();
}

void HeadLine::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.fillRect(QRect(0, height() - 1, width(), 1), theme().line);
}

QString HeadLine::comparisonText() const {
    return m_match->text();
}

void HeadLine::showTime() {
    const double at = m_desk.playback.positionS();
    const int minutes = static_cast<int>(at / 60);
    m_time->setText(QStringLiteral("%1:%2").arg(minutes).arg(at - 60 * minutes, 4, 'f', 1, QLatin1Char('0')));
}

void HeadLine::refresh() {
    const auto& document = m_desk.document;
    const QString name = QString::fromStdString(document.session().name);
    m_name->setText(m_name->fontMetrics().elidedText(name, Qt::ElideRight, namePx(width())) +
                    (document.isSaved() ? QString() : QStringLiteral(" *")));
    m_name->setToolTip(document.isSaved() ? tr("Saved") : tr("Unsaved changes"));
    m_play->setText(m_desk.playback.isPlaying() ? tr("stop") : tr("play"));
    const auto& match = m_desk.playback.match();
    const bool comparing = m_desk.playback.isComparing();
    m_compare->setEnabled(!document.session().elements.empty());
    if (match && match->firstLufs > -70 && match->secondLufs > -70) {
        const double difference = match->secondLufs - match->firstLufs;
        const QString amount = std::abs(difference) < 0.05 ? tr("as loud")
                               : difference > 0            ? tr("%1 dB louder").arg(dbText(difference))
                                                           : tr("%1 dB softer").arg(dbText(-difference));
        m_match->setText(comparing ? tr("untouched, matched (%1)").arg(amount)
                                   : tr("untouched is %1").arg(amount));
    } else {
        m_match->setText(m_desk.playback.isMatching() ? tr("matching \u2026") : QString());
    }
    if (session::otherMix(document.session()) != nullptr && !comparing) {
        const QString letter = QString::fromStdString(session::letterOf(document.session()));
        const auto& letters = m_desk.playback.letterMatch();
        m_match->setText(letters ? tr("%1 heard; A %2, B %3 LUFS")
                                       .arg(letter, dbText(letters->firstLufs), dbText(letters->secondLufs))
                                 : tr("%1, matching \u2026").arg(letter));
    }
    if (m_desk.playback.heardReference())
        m_match->setText(tr("reference, matched"));
    QPalette palette = m_match->palette();
    palette.setColor(QPalette::WindowText, comparing ? theme().ember : theme().faint);
    m_match->setPalette(palette);
    const auto& device = m_desk.playback.engine().device();
    m_device->setText(device.info().isSimulated ? tr("simulated device, no sound") : QString());
    m_device->setToolTip(QString::fromStdString(m_desk.playback.engine().deviceNote()));
    palette.setColor(QPalette::WindowText, theme().ember);
    m_device->setPalette(palette);
    showTime();
}

void HeadLine::resizeEvent(QResizeEvent*) {
    refresh();
}

} // namespace cask::app
