#include "app/widgets/elided_label.h"

#include <QPainter>

namespace cask::app {

void ElidedLabel::setText(const QString& text) {
    QLabel::setText(text);
    setToolTip(text);
}

QSize ElidedLabel::minimumSizeHint() const {
    return {fontMetrics().averageCharWidth() * 4, QLabel::minimumSizeHint().height()};
}

void ElidedLabel::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setPen(palette().color(foregroundRole()));
    p.drawText(contentsRect(), static_cast<int>(alignment()),
               fontMetrics().elidedText(text(), Qt::ElideRight, contentsRect().width()));
}

} // namespace cask::app
