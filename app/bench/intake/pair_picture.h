// Two microphones of one drum laid over each other, and what their sum gains or loses over the shift.
#pragma once

#include "app/models/pair_model.h"

#include <QWidget>

namespace cask::app {

/// Dragging sideways moves the chosen element in time; arrow keys do it in small steps.
class PairPicture : public QWidget {
    Q_OBJECT

  public:
    PairPicture(Document& document, PairModel& pair, QWidget* parent = nullptr);

    /// Where a shift of the moving element stands in the lower picture, for tests too.
    [[nodiscard]] double xOfShift(double shiftMs) const;
    [[nodiscard]] QRectF wavePlot() const;
    [[nodiscard]] QRectF sumPlot() const;

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    [[nodiscard]] double shiftMs() const;
    [[nodiscard]] double baseShiftMs() const; ///< of the session that the portrait is of
    [[nodiscard]] double shiftOfX(double x) const;
    [[nodiscard]] double bottomDb() const; ///< of the lower picture
    [[nodiscard]] double yOfSum(double db) const;
    [[nodiscard]] double waveMs() const; ///< length of the upper picture
    [[nodiscard]] QString nameOf(Id id) const;
    void paintWaves(QPainter& p) const;
    void paintSum(QPainter& p) const;
    void paintCurve(QPainter& p, bool isTurned) const;

    Document& m_document;
    PairModel& m_pair;
    double m_pointerX = -1;
    double m_pressX = 0;
    double m_pressShiftMs = 0;
    enum class Drag { None, Wave, Sum } m_drag = Drag::None;
};

} // namespace cask::app
