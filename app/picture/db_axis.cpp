#include "app/picture/db_axis.h"

#include "app/theme/theme.h"

#include <QCoreApplication>
#include <QPainter>

#include <algorithm>

namespace cask::app {

double DbAxis::yOf(double db) const {
    return bottom - (std::clamp(db, lowDb, highDb) - lowDb) / (highDb - lowDb) * (bottom - top);
}

double DbAxis::dbAt(double y) const {
    return std::clamp(lowDb + (bottom - y) / (bottom - top) * (highDb - lowDb), lowDb, highDb);
}

void DbAxis::paintAtLeft(QPainter& p, double right, int stepDb) const {
    p.setFont(textFont(11));
    p.setPen(theme().faint);
    for (int db = 0; db >= lowDb; db -= stepDb)
        p.drawText(QRectF(0, yOf(db) - 8, right - 4, 16), Qt::AlignRight | Qt::AlignVCenter, dbText(db, 0));
}

void DbAxis::paintAtRight(QPainter& p, double left, double fromDb, double toDb, double stepDb) const {
    p.setFont(textFont(11));
    p.setPen(theme().faint);
    for (double db = fromDb; db <= toDb + 1e-9; db += stepDb)
        p.drawText(QRectF(left + 4, yOf(db) - 8, 40, 16), Qt::AlignLeft | Qt::AlignVCenter,
                   QCoreApplication::translate("DbAxis", "%1 dB").arg(dbText(db, 0)));
}

} // namespace cask::app
