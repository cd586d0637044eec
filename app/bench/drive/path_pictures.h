// A parallel path: who feeds it, and what it adds and takes away.
#pragma once

#include "app/models/desk.h"

#include <QWidget>

namespace cask::app {

/// The bus that is chosen, where it is a path.
[[nodiscard]] const session::Bus* chosenPath(const Desk& desk);
/// What all pictures of a path show: the measures of the one that is chosen, null while there are none.
[[nodiscard]] const advise::PathMeasure* pathMeasure(const Desk& desk);

/// Each element's part of the path as a band; the lower edge of a band is dragged to send more or less.
class SharesPicture : public QWidget {
    Q_OBJECT

  public:
    explicit SharesPicture(const Desk& desk, QWidget* parent = nullptr);
    /// Middle of an element's band; null where it has none.
    [[nodiscard]] QPointF bandAt(Id element) const;

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;

  private:
    struct Band {
        Id element = session::kNoId;
        double sendDb = 0;
        double percent = 0;
        QRectF rect;
    };
    /// With the sends as they are now: a drag is seen before it is measured.
    [[nodiscard]] std::vector<Band> bands() const;
    void send(Id element, double db, bool isDragging);

    Desk m_desk;
    Id m_dragged = session::kNoId;
    double m_fromY = 0;
    double m_fromDb = 0;
};

/// The spectra of dry and path over each other, and under them both together against dry alone, with the
/// holes and what makes them; where there is no room, the latter alone.
class SumPicture : public QWidget {
    Q_OBJECT

  public:
    explicit SumPicture(const Desk& desk, QWidget* parent = nullptr);

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    void paintSpectra(QPainter& p, const QRectF& r, const advise::PathMeasure& path) const;
    void paintSum(QPainter& p, const QRectF& r, const advise::PathMeasure& path) const;

    Desk m_desk;
};

} // namespace cask::app
