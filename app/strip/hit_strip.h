// The performance along the bottom: a line per element, a mark per hit, sections, loop and playhead.
#pragma once

#include "app/models/desk.h"
#include "app/strip/ride_lane.h"

#include <QPixmap>
#include <QWidget>

#include <set>
#include <vector>

class QMenu;

namespace cask::app {

class HitStrip : public QWidget {
    Q_OBJECT

  public:
    explicit HitStrip(const Desk& desk, QWidget* parent = nullptr);

    [[nodiscard]] QSize sizeHint() const override { return {1280, 130}; }
    /// For tests: the place of an instant, and the range in view.
    [[nodiscard]] double xOf(double seconds) const;
    [[nodiscard]] double secondsAt(double x) const;
    void zoom(double factor, double aroundX);
    /// Shows a stretch with a little around it; everything when it is empty.
    void zoomTo(double fromS, double toS);
    [[nodiscard]] bool isInView(double seconds) const;
    [[nodiscard]] double middleS() const;
    /// Rides are drawn instead of hits, of the selected element or bus alone.
    void setRiding(bool on);
    [[nodiscard]] RideLane& rides() { return *m_rides; }
    struct Lane {
        Id element = session::kNoId;
        QRectF rect;
    };
    [[nodiscard]] std::vector<Lane> lanes() const;

  protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;

  private:
    static constexpr int kLeftPx = 118;
    static constexpr int kRulerPx = 24;
    static constexpr double kChosenTimes = 2.2; // the chosen element's line is this much higher

    void refresh();
    void follow();
    void paintMarks(QPainter& p) const;
    void paintHits(QPainter& p, const QRectF& lane, const session::Element& e, bool isChosen) const;
    template <class Act> void eachBeat(const Act& act) const;
    void paintBars(QPainter& p) const;
    void paintBarNumbers(QPainter& p) const;
    void chooseNear(QPointF at, bool isAdding);
    /// Own hits whose marks lie in a box, of all elements whose lines it touches.
    [[nodiscard]] std::set<int> strokesIn(const QRectF& box) const;
    [[nodiscard]] Id elementAt(double y) const;
    void followGain();
    void paintGain(QPainter& p) const;
    void paintWave(QPainter& p, const QRectF& lane, Id element) const;
    void paintRuler(QPainter& p) const;
    void paintMarkers(QPainter& p) const;
    [[nodiscard]] QRect lanesRect() const;

    Desk m_desk;
    RideLane* m_rides;
    double m_lengthS = 1; ///< of the session
    double m_startS = 0;
    double m_spanS = 0; // 0: everything
    QPixmap m_picture;  // all that stands still
    bool m_isStale = true;
    QPointF m_press;
    enum class Drag { None, Loop, Box, Marker } m_drag = Drag::None;
    double m_markerS = 0; ///< of the marker that is dragged
    /// Gain of the chosen element's gate as it was played: session time and dB, in the order of playing.
    std::vector<QPointF> m_gain;
    Id m_gainElement = session::kNoId;
    bool m_isCompressorGain = false;
    std::set<int> m_before; // what was selected when the drag began
    QRectF m_box;           // null while there is none
};

/// Ways to select hits: of the chosen element by class, in a section, all, none.
void fillSelectionMenu(QMenu& menu, const Desk& desk, double atS);

} // namespace cask::app
