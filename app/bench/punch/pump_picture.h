// The gain of a pump over its note, as it is heard, and its points to be dragged.
#pragma once

#include "app/models/desk.h"
#include "app/models/module_edits.h"

#include <QWidget>

#include <core/dsp/pump.h>

namespace cask::app {

/// Points are dragged; a double click adds one, Delete takes the chosen one away, arrows move it.
class PumpPicture : public QWidget {
    Q_OBJECT

  public:
    explicit PumpPicture(const Desk& desk, QWidget* parent = nullptr);
    /// The pump that is shown and edited.
    void showModule(const ModuleAt& at);
    // For tests.
    [[nodiscard]] QPointF placeOf(const dsp::PumpPoint& point) const;
    [[nodiscard]] int chosen() const { return m_chosen; }

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    [[nodiscard]] QRectF plot() const;
    [[nodiscard]] const dsp::PumpSettings* settings() const;
    /// Points to edit: those that are there, or the standard ones.
    [[nodiscard]] std::vector<dsp::PumpPoint> points() const;
    [[nodiscard]] int pointAt(const QPointF& position) const;
    void edit(const std::vector<dsp::PumpPoint>& points, const QString& label, bool isDragging);
    void move(int point, double placePercent, double openPercent, bool isDragging);

    Desk m_desk;
    ModuleAt m_at;
    int m_chosen = -1; ///< index of a point
    bool m_isDragging = false;
};

} // namespace cask::app
