// The performance along the bottom: a line per element, a mark per hit, sections, loop and playhead.
#pragma once

#include "app/document/desk.h"

#include <QPixmap>
#include <QWidget>

namespace cask::app {

class HitStrip : public QWidget {
    Q_OBJECT

  public:
    explicit HitStrip(const Desk& desk, QWidget* parent = nullptr);

    [[nodiscard]] QSize sizeHint() const override { return {1280, 150}; }
    /// For tests: the place of an instant, and the range in view.
    [[nodiscard]] double xOf(double seconds) const;
    [[nodiscard]] double secondsAt(double x) const;
    void zoom(double factor, double aroundX);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;

  private:
    void refresh();
    void follow();
    void paintMarks(QPainter& p) const;
    void paintHits(QPainter& p, const QRectF& lane, const session::Element& e, bool isChosen) const;
    void paintBars(QPainter& p) const;
    void chooseNear(QPointF at);
    [[nodiscard]] Id elementAt(double y) const;
    void paintWave(QPainter& p, const QRectF& lane, Id element) const;
    void paintRuler(QPainter& p) const;
    [[nodiscard]] double lengthS() const;
    [[nodiscard]] QRect lanesRect() const;

    Desk m_desk;
    double m_startS = 0;
    double m_spanS = 0; // 0: everything
    QPixmap m_picture;  // all that stands still
    bool m_isStale = true;
    double m_dragFromS = -1;
    bool m_dragsLoop = false;
};

} // namespace cask::app
