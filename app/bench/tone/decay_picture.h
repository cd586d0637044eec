// How the average own hit dies away over time and frequency: what rings stays.
#pragma once

#include "app/models/desk.h"
#include "app/picture/hz_axis.h"

#include <QImage>
#include <QWidget>

namespace cask::app {

class DecayPicture : public QWidget {
    Q_OBJECT

  public:
    explicit DecayPicture(const Desk& desk, QWidget* parent = nullptr);
    /// What the pointer is on: "417 Hz (G#4): falls by 60 dB in 0.94 s, 12 dB left after 200 ms".
    [[nodiscard]] QString wordsAt(const QPointF& at) const;
    [[nodiscard]] QRectF plot() const;
    [[nodiscard]] double xOf(double hz) const { return HzAxis{plot()}.xOf(hz); }

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

  private:
    void refresh();
    [[nodiscard]] double hzAt(double x) const { return HzAxis{plot()}.hzAt(x); }
    [[nodiscard]] float powerDb(double frame, double hz) const;
    void paintCells();
    void paintAxes(QPainter& p) const;

    Desk m_desk;
    QImage m_cells;
    QPointF m_pointer{-1, -1};
};

} // namespace cask::app
