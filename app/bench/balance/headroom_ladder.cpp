#include "app/bench/balance/headroom_ladder.h"

#include "app/theme/theme.h"

#include <QPainter>

#include <algorithm>

namespace cask::app {

HeadroomLadder::HeadroomLadder(const Desk& desk, QWidget* parent) : QWidget(parent), m_desk(desk) {
    setFixedWidth(168);
    setAccessibleName(tr("Headroom ladder"));
    setToolTip(tr("True peak at the master with only these elements heard, over the whole session.\n"
                  "The notch is the target of the approach that leaves about 6 dB on the master."));
    connect(&desk.playback, &Playback::headroomChanged, this, qOverload<>(&QWidget::update));
}

void HeadroomLadder::paintEvent(QPaintEvent*) {
    QPainter p(this);
    const Theme& t = theme();
    p.setFont(textFont(12, QFont::DemiBold));
    p.setPen(t.ink);
    p.drawText(QRect(0, 0, width(), 20), Qt::AlignLeft | Qt::AlignVCenter, tr("Headroom, dBTP"));
    const QString names[] = {tr("kick"), tr("kit"), tr("kit + bass"), tr("master")};
    const auto& headroom = m_desk.playback.headroom();
    constexpr double kLeastDb = -30;
    const int step = std::min(64, (height() - 50) / kRungs);
    const auto xOf = [&](double db) {
        return static_cast<int>(std::clamp((db - kLeastDb) / -kLeastDb, 0.0, 1.15) * (width() - 22));
    };
    for (int r = 0; r < kRungs; ++r) {
        const auto rung = static_cast<std::size_t>(r);
        const int y = 30 + r * step;
        const double target = advise::headroomTargetDb(m_desk.findings.style(), static_cast<Rung>(r));
        p.setFont(textFont(13));
        p.setPen(t.ink);
        p.drawText(QRect(0, y, width(), 18), Qt::AlignLeft | Qt::AlignVCenter, names[r]);
        p.fillRect(QRect(0, y + 22, width() - 22, 6), t.line);
        if (headroom && headroom->truePeakDb[rung] > kSilenceDb + 1) {
            const double db = headroom->truePeakDb[rung];
            const bool over = db > target + 0.05;
            // Over the target is advice: said in words. Red is for what clips.
            const bool clips = db > 0;
            p.fillRect(QRect(0, y + 22, xOf(db), 6), clips ? t.ember : t.teal);
            p.setFont(textFont(14, QFont::DemiBold));
            p.setPen(clips ? t.ember : t.ink);
            p.drawText(QRect(0, y, width() - 22, 18), Qt::AlignRight | Qt::AlignVCenter, dbText(db));
            p.setFont(textFont(11, over ? QFont::DemiBold : QFont::Normal));
            p.setPen(clips ? t.ember : over ? t.ink : t.faint);
            p.drawText(QRect(0, y + 31, width() - 22, 16), Qt::AlignLeft | Qt::AlignVCenter,
                       over ? tr("%1 dB over %2").arg(dbText(db - target), dbText(target, 0))
                            : tr("%1 dB under %2").arg(dbText(target - db), dbText(target, 0)));
        } else {
            p.setFont(textFont(13));
            p.setPen(t.faint);
            p.drawText(QRect(0, y, width() - 22, 18), Qt::AlignRight | Qt::AlignVCenter,
                       m_desk.playback.isMeasuringHeadroom() ? QStringLiteral("\u2026") : tr("silent"));
        }
        p.fillRect(QRect(xOf(target) - 1, y + 18, 2, 14), t.ink);
    }
    p.setFont(textFont(11));
    p.setPen(t.faint);
    p.drawText(QRect(0, 30 + kRungs * step + 2, width(), 18), Qt::AlignLeft,
               m_desk.playback.isMeasuringHeadroom() ? tr("measuring \u2026")
                                                     : tr("whole session, as it is"));
}

} // namespace cask::app
