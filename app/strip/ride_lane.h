// The strip while rides are drawn: the way of one value of the chosen element or bus over the performance.
#pragma once

#include "app/models/desk.h"

#include <QObject>
#include <QPointF>
#include <QPointer>
#include <QRectF>

#include <core/session/rides.h>
#include <functional>
#include <optional>

class QComboBox;
class QMouseEvent;
class QPainter;
class QPushButton;
class QWidget;

namespace cask::app {

class RideRuleBox;

class RideLane : public QObject {
    Q_OBJECT

  public:
    enum class Snap { Bars, Beats, Hits, Free };

    /// `strip`: that it is drawn on; its chooser and buttons stand in the strip's left column.
    RideLane(const Desk& desk, QWidget* strip);

    [[nodiscard]] bool isOn() const { return m_isOn; }
    void setOn(bool on);
    [[nodiscard]] QComboBox& valueChoice() const { return *m_value; }
    [[nodiscard]] QComboBox& snapChoice() const { return *m_snap; }
    [[nodiscard]] QPushButton& copyButton() const { return *m_copy; }
    /// The value that is drawn; nothing when the selection has none.
    [[nodiscard]] std::optional<session::RideChoice> choice() const;
    /// The nearest bar, beat or own hit, as it is chosen.
    [[nodiscard]] double snapped(double seconds) const;

    /// Where things are: pixels of a time, and of a change within the lane.
    struct Axes {
        QRectF lane;
        std::function<double(double)> xOf;
        std::function<double(double)> secondsAt;
    };
    void setAxes(const Axes& axes) { m_axes = axes; }
    [[nodiscard]] double yOf(double change) const;
    [[nodiscard]] double changeAt(double y) const;
    void paint(QPainter& p) const;

    /// True when the event was for a point. A press on nothing makes one.
    bool press(const QMouseEvent& event);
    bool move(const QMouseEvent& event);
    bool release(const QMouseEvent& event);
    /// Arrow keys: time by the snap, change by half a dB (a hundredth of the range); Enter a point at the
    /// playhead, Delete the nearest one away.
    bool key(int key, Qt::KeyboardModifiers modifiers);
    /// The ride in the section at the playhead again in another one.
    void copyTo(const std::string& section);
    /// Asks by which rule the value that is drawn moves.
    void showRule();
    /// Null while it is not asked.
    [[nodiscard]] RideRuleBox* ruleBox() const;

  signals:
    void changed();

  private:
    void refresh();
    void fillCopyMenu();
    void edit(std::vector<session::RidePoint> points, const QString& what, bool isDragging);
    [[nodiscard]] std::vector<session::RidePoint> points() const;
    [[nodiscard]] int pointNear(QPointF at) const;
    [[nodiscard]] std::pair<double, double> span() const;
    [[nodiscard]] double stepOf() const;
    void nudge(int timeSteps, double changeSteps);

    Desk m_desk;
    QComboBox* m_value;
    QComboBox* m_snap;
    QPushButton* m_copy;
    QPointer<RideRuleBox> m_rule;
    bool m_isOn = false;
    std::string m_wanted = "level_db"; ///< value that stays chosen when another element is
    Axes m_axes;
    int m_dragged = -1;
};

} // namespace cask::app
