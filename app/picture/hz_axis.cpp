#include "app/picture/hz_axis.h"

#include "app/theme/theme.h"

#include <QPainter>

#include <cmath>

namespace cask::app {

double HzAxis::xOf(double hz) const {
    return plot.left() +
           std::log(hz / kLowestShownHz) / std::log(kHighestShownHz / kLowestShownHz) * plot.width();
}

double HzAxis::hzAt(double x) const {
    return kLowestShownHz * std::pow(kHighestShownHz / kLowestShownHz, (x - plot.left()) / plot.width());
}

void HzAxis::paint(QPainter& p) const {
    const Theme& t = theme();
    p.setFont(textFont(11));
    double freeFrom = plot.left() - 24; // numbers that would touch the one before are left out
    for (const double hz : {20, 30, 50, 100, 200, 300, 500, 1000, 2000, 3000, 5000, 10000, 20000}) {
        const bool strong = hz == 100 || hz == 1000 || hz == 10000;
        p.setPen(QPen(t.line, 1, strong ? Qt::SolidLine : Qt::DotLine));
        p.drawLine(QPointF(xOf(hz), plot.top()), QPointF(xOf(hz), plot.bottom()));
        p.setPen(t.faint);
        const QString text = hz >= 1000 ? QStringLiteral("%1k").arg(hz / 1000) : QString::number(hz);
        const QString shown = hz == 20 ? text + QStringLiteral(" Hz") : text;
        const double half = 0.5 * p.fontMetrics().horizontalAdvance(shown);
        if (xOf(hz) - half < freeFrom)
            continue;
        freeFrom = xOf(hz) + half + 3;
        p.drawText(QRectF(xOf(hz) - 24, plot.bottom() + 4, 48, 16), Qt::AlignHCenter, shown);
    }
}

} // namespace cask::app
