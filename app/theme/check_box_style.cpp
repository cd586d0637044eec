#include "app/theme/check_box_style.h"

#include "app/theme/theme.h"

#include <QPainter>
#include <QStyleOption>

namespace cask::app {

CheckBoxStyle::CheckBoxStyle() : QProxyStyle(QStringLiteral("Fusion")) {}

void CheckBoxStyle::drawPrimitive(PrimitiveElement element, const QStyleOption* option, QPainter* painter,
                                  const QWidget* widget) const {
    if (element != PE_IndicatorCheckBox) {
        QProxyStyle::drawPrimitive(element, option, painter, widget);
        return;
    }
    const Theme& t = theme();
    const bool isEnabled = (option->state & State_Enabled) != 0;
    const QRectF box = QRectF(option->rect).adjusted(0.5, 0.5, -0.5, -0.5);
    painter->save();
    painter->setRenderHint(QPainter::Antialiasing);
    painter->setPen(QPen(isEnabled ? t.faint : t.line, 1));
    painter->setBrush(t.paper);
    painter->drawRoundedRect(box, 2, 2);
    if ((option->state & State_On) != 0) {
        painter->setPen(QPen(isEnabled ? t.teal : t.faint, 2, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
        painter->drawPolyline(QPolygonF({box.topLeft() + QPointF(0.22 * box.width(), 0.52 * box.height()),
                                         box.topLeft() + QPointF(0.43 * box.width(), 0.74 * box.height()),
                                         box.topLeft() + QPointF(0.80 * box.width(), 0.26 * box.height())}));
    }
    painter->restore();
}

} // namespace cask::app
