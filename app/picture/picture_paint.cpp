#include "app/picture/picture_paint.h"

#include "app/theme/theme.h"

namespace cask::app {

void paintGround(QPainter& p, const QRect& rect, const QString& title) {
    p.fillRect(rect, theme().paper);
    p.setFont(textFont(12, QFont::DemiBold));
    p.setPen(theme().ink);
    p.drawText(rect.adjusted(10, 6, -10, 0), Qt::AlignLeft | Qt::AlignTop, title);
}

void paintHint(QPainter& p, const QRectF& rect, const QString& text) {
    p.setFont(textFont(13));
    p.setPen(theme().faint);
    p.drawText(rect, Qt::AlignCenter | Qt::TextWordWrap, text);
}

} // namespace cask::app
