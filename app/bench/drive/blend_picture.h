// What the blend of a parallel path does.
#pragma once

#include "app/models/desk.h"

#include <QWidget>

namespace cask::app {

/// Density across, cymbals upwards, from dry alone to wet alone: the blend is dragged along the way.
class BlendPicture : public QWidget {
    Q_OBJECT

  public:
    explicit BlendPicture(const Desk& desk, QWidget* parent = nullptr);
    [[nodiscard]] QPointF pointOf(double percent) const;

  signals:
    void wantsBlend(double percent, bool isDragging);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;

  private:
    [[nodiscard]] QRectF plot() const;
    [[nodiscard]] QRectF labelPlace(QPointF at, double width) const;
    void drag(QPointF at);

    Desk m_desk;
    bool m_isDragged = false;
};

} // namespace cask::app
