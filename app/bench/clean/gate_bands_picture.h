// Where in the spectrum own hits part from spill.
#pragma once

#include "app/models/desk.h"
#include "app/models/gate_model.h"

#include <QWidget>

namespace cask::app {

/// Softest own hits against the loudest spill over frequency; the detector's corners are dragged.
class GateBandsPicture : public QWidget {
    Q_OBJECT

  public:
    GateBandsPicture(const Desk& desk, GateModel& gate, QWidget* parent = nullptr);
    [[nodiscard]] double xOf(double hz) const;

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;

  private:
    [[nodiscard]] QRectF plot() const;
    [[nodiscard]] double hzAt(double x) const;
    [[nodiscard]] const char* cornerAt(double x) const;

    Desk m_desk;
    GateModel& m_gate;
    const char* m_dragged = nullptr; // field of the corner
};

} // namespace cask::app
