// Small squares on a picture that are dragged.
#pragma once

#include "app/theme/theme.h"

#include <QPainter>
#include <QPointF>

#include <array>
#include <cmath>

namespace cask::app {

inline constexpr double kHandleReachPx = 10;

/// The one nearest to a place, at most kHandleReachPx away; Handle::None without any. `placeOf` gives null
/// points for those that are not there.
template <class Handle, std::size_t N, class PlaceOf>
[[nodiscard]] Handle nearestHandle(const std::array<Handle, N>& handles, QPointF at, const PlaceOf& placeOf) {
    Handle found = Handle::None;
    double nearest = kHandleReachPx;
    for (const auto handle : handles) {
        const QPointF place = placeOf(handle);
        const double off = std::hypot(place.x() - at.x(), place.y() - at.y());
        if (!place.isNull() && off <= nearest) {
            nearest = off;
            found = handle;
        }
    }
    return found;
}

inline void paintHandle(QPainter& p, QPointF at, bool isDragged) {
    p.setPen(QPen(theme().ink, 1.5));
    p.setBrush(isDragged ? theme().ember : theme().paper);
    p.drawRect(QRectF(at.x() - 4, at.y() - 4, 8, 8));
}

} // namespace cask::app
