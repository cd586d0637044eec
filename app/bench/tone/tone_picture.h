// The element's own hits as a spectrum before and after, and the moves on it as brackets that are dragged.
#pragma once

#include "app/models/eq_model.h"
#include "app/picture/hz_axis.h"

#include <QWidget>

#include <core/measure/spectrum.h>
#include <core/measure/tone/tone_shape.h>
#include <optional>
#include <vector>

class QMenu;
class QToolButton;

namespace cask::app {

/// Half-gain edges of a bell, as a share of its centre.
[[nodiscard]] double edgeRatio(double q);

inline constexpr int kSmoothPoints = 3; ///< on each side: a quarter of an octave in all
/// Mean power of so many points on each side.
[[nodiscard]] std::vector<float> smoothed(const measure::Spectrum& spectrum, int points);

class TonePicture : public QWidget {
    Q_OBJECT

  public:
    TonePicture(const Desk& desk, EqModel& eq, QWidget* parent = nullptr);

    /// What of the hits is shown: all of them, their first 20 ms, or what comes 30 ms after the onset.
    enum class Moment { Whole, Attack, Tail };
    void setMoment(Moment moment);

    /// What is drawn beside own hits.
    enum class Beside { Spill, Noise, Kit, Usual };
    void setBeside(Beside beside);
    [[nodiscard]] Beside beside() const { return m_beside; }
    /// The choices, by Beside, and last whether the drum is a reference of its role.
    [[nodiscard]] QMenu& besideMenu() { return *m_besideMenu; }
    /// What it is, or why it is not there: "spill", "range of your 4 references".
    [[nodiscard]] QString besideWords() const;
    /// Levels by spectrum point of what is drawn beside; empty for a range, and when there is nothing.
    [[nodiscard]] const std::vector<float>& besideDb() const { return m_besideDb; }
    /// Where the drum, as it will be, leaves the usual range that is drawn.
    [[nodiscard]] std::vector<measure::OutOfRange> outOfUsual() const;

    /// Middle of a bracket's bar, for tests.
    [[nodiscard]] QPointF handleOf(const dsp::EqBand& band) const;
    [[nodiscard]] double xOf(double hz) const { return axis().xOf(hz); }
    [[nodiscard]] double hzAt(double x) const { return axis().hzAt(x); }
    [[nodiscard]] double pixelsPerDb() const;
    /// Frequency that is lifted while a person hunts for what is ugly; 0: nobody does.
    [[nodiscard]] double huntedHz() const { return m_huntedHz; }

  signals:
    /// The key that hears the band alone went down or up.
    void hearKey(bool down);
    /// The key that hears this module and the next one in the other order.
    void orderKey(bool down);
    /// P is held, or let go.
    void bypassKey(bool held);

  protected:
    bool event(QEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void keyReleaseEvent(QKeyEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;
    void leaveEvent(QEvent* event) override;

  private:
    enum class Grip { None, Bar, LowEdge, HighEdge, Range };
    struct Bracket {
        double x0 = 0;
        double x1 = 0;
        double base = 0;  ///< y where the legs stand
        double bar = 0;   ///< y of the bar
        double range = 0; ///< y of the bar at the end of a dynamic band's range
        double moved = 0; ///< y of the bar as it sounds now
    };
    [[nodiscard]] QRectF plot() const;
    [[nodiscard]] HzAxis axis() const { return {plot()}; }
    [[nodiscard]] double yOf(double db) const;
    [[nodiscard]] double before(double hz) const;
    [[nodiscard]] Bracket bracketOf(const dsp::EqBand& band) const;
    [[nodiscard]] double movedDb(const dsp::EqBand& band) const;
    [[nodiscard]] std::pair<Id, Grip> gripAt(const QPointF& at) const;
    [[nodiscard]] bool moveByKey(int key, double fine);
    void dragTo(const QPointF& at, double fine);
    void change(const QString& what, const std::function<void(dsp::EqBand&)>& edit);
    void readSpectrum();
    void readBeside();
    void hunt(double hz);
    void cutHunted();
    void paintAxes(QPainter& p) const;
    void makeBeside();
    void placeBeside();
    void paintBeside(QPainter& p) const;
    void paintUsual(QPainter& p) const;
    [[nodiscard]] QColor besideTint() const;
    void paintCurves(QPainter& p) const;
    void paintKey(QPainter& p) const;
    void paintMarks(QPainter& p) const;
    void paintBracket(QPainter& p, const dsp::EqBand& band) const;
    void paintHunt(QPainter& p) const;
    void paintPointer(QPainter& p) const;

    Desk m_desk;
    EqModel& m_eq;
    Moment m_moment = Moment::Whole;
    std::vector<float> m_before; // smoothed, per spectrum point; empty for a bus
    QToolButton* m_besideButton; ///< in the key over the plot
    QMenu* m_besideMenu;
    Beside m_beside = Beside::Spill;
    std::vector<float> m_besideDb; // likewise
    std::optional<advise::ToneReferences::Range> m_usual;
    bool m_isOfHits = false; // of own hits; else of the whole file
    double m_topDb = 24;
    double m_bottomDb = -24;
    Grip m_grip = Grip::None;
    QPointF m_dragFrom;
    dsp::EqBand m_dragBand;
    QPointF m_pointer{-1, -1};
    double m_huntedHz = 0;
};

} // namespace cask::app
