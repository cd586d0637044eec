// Where a picture of the Drive bench draws: under its head, between the numbers of its axes.
#pragma once

#include <QRectF>

namespace cask::app {

[[nodiscard]] inline QRectF drivePlot(const QRect& picture) {
    return QRectF(picture).adjusted(40, 26, -12, -34);
}

} // namespace cask::app
