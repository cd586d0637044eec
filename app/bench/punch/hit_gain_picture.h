// The average hit before and after a compressor, and the gain over it.
#pragma once

#include "app/models/desk.h"
#include "app/models/punch_model.h"
#include "app/picture/db_axis.h"

#include <QWidget>

namespace cask::app {

/// The first 20 ms have a scale of their own. Attack and release are dragged on the gain.
class HitGainPicture : public QWidget {
    Q_OBJECT

  public:
    HitGainPicture(const Desk& desk, PunchModel& punch, QWidget* parent = nullptr);
    enum class Handle { None, Attack, Release };
    /// Where a handle is; null without a compressor, or without a change of its gain.
    [[nodiscard]] QPointF handleAt(Handle handle) const;
    [[nodiscard]] double xOf(double ms) const;
    [[nodiscard]] double msAt(double x) const;
    /// Of the gain, on the scale at the right.
    [[nodiscard]] double yOfGain(double db) const { return gains().yOf(db); }
    /// Middle of the times from one own hit to the next, ms; nothing without two hits.
    [[nodiscard]] std::optional<double> toNextMs() const;

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;

  private:
    [[nodiscard]] QRectF plot() const;
    /// The upper half.
    [[nodiscard]] DbAxis gains() const;
    [[nodiscard]] DbAxis levels() const;
    /// Lowest and highest gain of the scale, dB.
    [[nodiscard]] std::pair<double, double> gainScale() const;
    /// After the onset, when the gain is farthest from 0 dB; nothing where it does not move.
    [[nodiscard]] std::optional<double> farthestMs() const;
    [[nodiscard]] Handle handleNear(QPointF at) const;
    void paintScales(QPainter& p) const;
    void paintNextHit(QPainter& p) const;
    void paintHandles(QPainter& p) const;

    Desk m_desk;
    PunchModel& m_punch;
    Handle m_dragged = Handle::None;
};

} // namespace cask::app
