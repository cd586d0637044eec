// The hits of a microphone against the thresholds of its gate.
#pragma once

#include "app/models/desk.h"
#include "app/models/gate_model.h"
#include "app/picture/db_axis.h"

#include <QWidget>

namespace cask::app {

/// Every hit of the microphone over time and level, as the detector hears it; thresholds are lines that are
/// dragged.
class GateHitsPicture : public QWidget {
    Q_OBJECT

  public:
    GateHitsPicture(const Desk& desk, GateModel& gate, QWidget* parent = nullptr);
    [[nodiscard]] double yOf(double db) const { return levels().yOf(db); }
    [[nodiscard]] double dbAt(double y) const { return levels().dbAt(y); }
    [[nodiscard]] QPointF placeOf(int hit) const;

  signals:
    void wantsToHear(int hit);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    enum class Line { None, Open, Close };
    [[nodiscard]] QRectF plot() const;
    [[nodiscard]] DbAxis levels() const;
    [[nodiscard]] Line lineAt(double y) const;
    [[nodiscard]] int hitAt(QPointF at) const;
    void paintHits(QPainter& p);
    void paintThresholds(QPainter& p);

    Desk m_desk;
    GateModel& m_gate;
    Line m_dragged = Line::None;
};

} // namespace cask::app
