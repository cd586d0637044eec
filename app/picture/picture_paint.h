// What the pictures of the benches begin with.
#pragma once

#include <QPainter>
#include <QString>

namespace cask::app {

/// Paper, and a title in its upper left corner.
void paintGround(QPainter& p, const QRect& rect, const QString& title);
/// Says in the middle why there is nothing to see.
void paintHint(QPainter& p, const QRectF& rect, const QString& text);

} // namespace cask::app
