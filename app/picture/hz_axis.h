// The frequency axis that the pictures of Tone share: 20 Hz to 20 kHz, evenly in octaves.
#pragma once

#include <QRectF>

class QPainter;

namespace cask::app {

inline constexpr double kLowestShownHz = 20;
inline constexpr double kHighestShownHz = 20000;

struct HzAxis {
    QRectF plot;
    [[nodiscard]] double xOf(double hz) const;
    [[nodiscard]] double hzAt(double x) const;
    /// Lines through the plot and numbers under it.
    void paint(QPainter& p) const;
};

} // namespace cask::app
