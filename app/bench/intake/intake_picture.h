// The whole file of an element over time, with what is wrong marked where it is.
#pragma once

#include "app/models/desk.h"

#include <QWidget>

namespace cask::app {

class IntakePicture : public QWidget {
    Q_OBJECT

  public:
    explicit IntakePicture(const Desk& desk, QWidget* parent = nullptr);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;

  private:
    [[nodiscard]] QRectF plot() const;
    [[nodiscard]] double lengthS() const;
    void paintChannel(QPainter& p, const QRectF& lane, const media::Overview& overview, int channel) const;
    void paintAxes(QPainter& p, const QRectF& lane) const;

    Desk m_desk;
    double m_pointerX = -1;
};

} // namespace cask::app
