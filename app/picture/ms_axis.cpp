#include "app/picture/ms_axis.h"

#include "app/theme/theme.h"

#include <QCoreApplication>
#include <QPainter>

namespace cask::app {

double MsAxis::xOf(double ms) const {
    return plot.left() + (ms - fromMs) / (toMs - fromMs) * plot.width();
}

void MsAxis::paint(QPainter& p) const {
    p.setFont(textFont(11));
    for (int ms = 0; ms <= toMs; ms += 50) {
        p.setPen(theme().line);
        p.drawLine(QPointF(xOf(ms), plot.top()), QPointF(xOf(ms), plot.bottom()));
        if (ms % 100 != 0)
            continue;
        p.setPen(theme().faint);
        p.drawText(QRectF(xOf(ms) - 30, plot.bottom() + 3, 60, 14), Qt::AlignHCenter | Qt::AlignTop,
                   QCoreApplication::translate("MsAxis", "%1 ms").arg(ms));
    }
}

} // namespace cask::app
