// How far each drum of a bus can be driven.
#pragma once

#include "app/models/desk.h"

#include <QWidget>

namespace cask::app {

/// One line for each drum over the drive into the bus: what is new in its hits, to where it breaks.
class PushPicture : public QWidget {
    Q_OBJECT

  public:
    explicit PushPicture(const Desk& desk, QWidget* parent = nullptr);
    [[nodiscard]] const advise::PushMeasure* push() const;

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    Desk m_desk;
};

} // namespace cask::app
