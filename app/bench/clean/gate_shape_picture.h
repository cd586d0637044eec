// The average hit under the gain of a gate.
#pragma once

#include "app/models/desk.h"
#include "app/models/gate_model.h"
#include "app/picture/db_axis.h"
#include "app/picture/ms_axis.h"

#include <QWidget>

namespace cask::app {

/// The average own hit and the gain over it; attack, hold, release, floor and look-ahead are handles.
class GateShapePicture : public QWidget {
    Q_OBJECT

  public:
    GateShapePicture(const Desk& desk, GateModel& gate, QWidget* parent = nullptr);
    enum class Handle { None, LookAhead, Attack, Hold, Release, Floor };
    /// Where a handle is; null when the gain shows none.
    [[nodiscard]] QPointF handleAt(Handle handle) const;
    [[nodiscard]] double xOf(double ms) const { return times().xOf(ms); }

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;

  private:
    /// Times of the gain over a hit, ms from its onset.
    struct Shape {
        bool isKnown = false;
        double startMs = 0, fullMs = 0, fallMs = 0, closedMs = 0;
    };
    [[nodiscard]] Shape shape() const;
    [[nodiscard]] QRectF plot() const;
    [[nodiscard]] MsAxis times() const;
    [[nodiscard]] DbAxis gains() const;
    [[nodiscard]] DbAxis levels() const;

    Desk m_desk;
    GateModel& m_gate;
    Handle m_dragged = Handle::None;
    double m_from = 0;      // ms or dB under the pointer when the drag began
    double m_fromValue = 0; // of the setting then
};

} // namespace cask::app
