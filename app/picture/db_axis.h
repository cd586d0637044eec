// Levels and gains up a picture.
#pragma once

#include <QRectF>

class QPainter;

namespace cask::app {

/// What lies outside of the scale is drawn at its end.
struct DbAxis {
    double lowDb = -60;
    double highDb = 0;
    double bottom = 0; ///< y of the lowest
    double top = 0;    ///< y of the highest
    [[nodiscard]] double yOf(double db) const;
    [[nodiscard]] double dbAt(double y) const;
    /// Numbers left of `right`, from 0 dB down to the lowest.
    void paintAtLeft(QPainter& p, double right, int stepDb) const;
    /// The same right of `left`, with the unit.
    void paintAtRight(QPainter& p, double left, double fromDb, double toDb, double stepDb) const;
};

} // namespace cask::app
