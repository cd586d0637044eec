// The curve that bends a sound, with the peaks of its real hits on it.
#pragma once

#include "app/models/drive_model.h"

#include <QWidget>

namespace cask::app {

/// The drive (of a clipper the ceiling, of a crush the bits) is dragged along it.
class CurvePicture : public QWidget {
    Q_OBJECT

  public:
    CurvePicture(Document& document, DriveModel& drive, QWidget* parent = nullptr);
    [[nodiscard]] QPointF pointOf(double in, double out) const;

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;

  private:
    [[nodiscard]] QRectF plot() const;
    /// Greatest value that is drawn: that of the loudest hit, or so.
    [[nodiscard]] double most() const;

    Document& m_document;
    DriveModel& m_drive;
    bool m_isDragged = false;
    double m_fromX = 0;
    double m_fromValue = 0;
};

} // namespace cask::app
