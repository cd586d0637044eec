// Time around a hit, across a picture.
#pragma once

#include <QRectF>

class QPainter;

namespace cask::app {

struct MsAxis {
    QRectF plot;
    double fromMs = 0;
    double toMs = 0;
    [[nodiscard]] double xOf(double ms) const;
    [[nodiscard]] double msPerPixel() const { return (toMs - fromMs) / plot.width(); }
    /// A line for every 50 ms from the onset on, a number for every second one.
    void paint(QPainter& p) const;
};

} // namespace cask::app
