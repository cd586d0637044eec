// The pictures of the Hits bench: levels with their classes, timing, spill.
#pragma once

#include "app/models/desk.h"

#include <QWidget>

namespace cask::app {

/// Own hits of the chosen element over level, spill mirrored below the line, limits of the classes.
class LevelPicture : public QWidget {
    Q_OBJECT

  public:
    explicit LevelPicture(const Desk& desk, QWidget* parent = nullptr);
    [[nodiscard]] double xOf(double levelDb) const;

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;

  private:
    [[nodiscard]] QRectF plot() const;
    Desk m_desk;
};

/// Error of each own hit from the grid over the take: feel at a glance, outliers named.
class TimingPicture : public QWidget {
    Q_OBJECT

  public:
    explicit TimingPicture(const Desk& desk, QWidget* parent = nullptr);
    [[nodiscard]] QPointF placeOf(int stroke) const;

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;

  private:
    [[nodiscard]] QRectF plot() const;
    [[nodiscard]] double rangeMs() const;
    Desk m_desk;
};

/// Every drum in every microphone, dB against its own: shade and number.
class SpillPicture : public QWidget {
    Q_OBJECT

  public:
    explicit SpillPicture(const Desk& desk, QWidget* parent = nullptr);
    [[nodiscard]] QRectF cell(int row, int column) const;
    [[nodiscard]] int rows() const;
    [[nodiscard]] int columns() const;

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    bool event(QEvent* event) override;

  private:
    Desk m_desk;
};

} // namespace cask::app
