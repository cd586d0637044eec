// One mark for each own hit of the take: how far the gain goes, and what is left of it at the next one.
#pragma once

#include "app/models/desk.h"
#include "app/models/punch_model.h"

#include <QWidget>

namespace cask::app {

/// A click, or the arrow keys, choose a hit to be looked at alone; Escape goes back to the average.
class HitMarksPicture : public QWidget {
    Q_OBJECT

  public:
    HitMarksPicture(const Desk& desk, PunchModel& punch, QWidget* parent = nullptr);
    [[nodiscard]] double xOf(double timeS) const;
    /// What is said of a hit of the compression.
    [[nodiscard]] QString textOf(std::size_t hit) const;

  protected:
    bool event(QEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    [[nodiscard]] QRectF plot() const;
    /// The hit of the compression nearest to a place; nothing without any.
    [[nodiscard]] std::optional<std::size_t> hitAt(double x) const;
    void choose(std::size_t hit);

    Desk m_desk;
    PunchModel& m_punch;
};

} // namespace cask::app
