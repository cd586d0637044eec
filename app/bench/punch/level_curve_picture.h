// The level of every hit before and after a compressor, with its law drawn through them.
#pragma once

#include "app/models/desk.h"
#include "app/models/punch_model.h"
#include "app/picture/db_axis.h"

#include <QWidget>

namespace cask::app {

/// The threshold is dragged sideways, the ratio by the end of the curve.
class LevelCurvePicture : public QWidget {
    Q_OBJECT

  public:
    LevelCurvePicture(const Desk& desk, PunchModel& punch, QWidget* parent = nullptr);
    enum class Handle { None, Threshold, Ratio };
    /// Where a handle is; null without a compressor.
    [[nodiscard]] QPointF handleAt(Handle handle) const;
    [[nodiscard]] double xOf(double levelDb) const;
    [[nodiscard]] double yOf(double levelDb) const { return leavingLevels().yOf(levelDb); }

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;

  private:
    [[nodiscard]] QRectF plot() const;
    [[nodiscard]] DbAxis leavingLevels() const;
    /// Level that leaves, with make-up and mix, while a level stays.
    [[nodiscard]] double leaving(double levelDb) const;
    [[nodiscard]] Handle handleNear(QPointF at) const;
    void paintHits(QPainter& p) const;

    Desk m_desk;
    PunchModel& m_punch;
    Handle m_dragged = Handle::None;
};

} // namespace cask::app
