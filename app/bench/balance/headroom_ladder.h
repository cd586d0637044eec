// Headroom ladder: kick, kit, kit and bass, master, each against its target.
#pragma once

#include "app/models/desk.h"

#include <QWidget>

namespace cask::app {

class HeadroomLadder : public QWidget {
    Q_OBJECT

  public:
    explicit HeadroomLadder(const Desk& desk, QWidget* parent = nullptr);
    [[nodiscard]] QSize sizeHint() const override { return {168, 300}; }

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    Desk m_desk;
};

} // namespace cask::app
