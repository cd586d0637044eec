// The quick sheet: a row per element and the few moves that do most in minutes, each with what it does.
#pragma once

#include "app/models/desk.h"

#include <QTimer>
#include <QWidget>

#include <core/base/job_group.h>
#include <core/kit_measures/quick_effects.h>
#include <map>
#include <vector>

class QGridLayout;
class QScrollArea;
class QPushButton;

namespace cask::app {

class ValueBar;

class QuickPage : public QWidget {
    Q_OBJECT

  public:
    explicit QuickPage(const Desk& desk, QWidget* parent = nullptr);
    ~QuickPage() override;

    /// Null where the element has no such value.
    [[nodiscard]] ValueBar* bar(Id element, session::QuickMove move) const;
    /// What a move does, as it stands under its value; a click goes to its bench.
    [[nodiscard]] QPushButton* effect(Id element, session::QuickMove move) const;
    [[nodiscard]] QPushButton* nameButton(Id element) const;
    [[nodiscard]] bool isMeasuring() const { return m_isMeasuring || m_timer.isActive(); }

  signals:
    /// The full bench of a stage is wanted, for the selected element.
    void wantsBench(cask::Stage stage);

  protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    struct Cell {
        session::QuickMove move;
        ValueBar* bar;
        QPushButton* effect;
    };
    struct Row {
        Id element;
        QPushButton* name;
        std::vector<Cell> cells;
    };
    void rebuild();
    void refresh();
    void edit(Id element, session::QuickMove move, double value, bool isDragging);
    void measure();
    void moveFocus(QObject* from, int rows);

    Desk m_desk;
    QWidget* m_inside;
    QGridLayout* m_grid;
    QScrollArea* m_scroll;
    std::vector<Row> m_rows;
    std::map<Id, kit::QuickEffects> m_effects;
    std::map<Id, session::Element> m_measured; ///< as they were then
    int m_hitsRevision = -1;                   ///< that they were measured with
    bool m_isMeasuring = false;
    int m_generation = 0;
    QTimer m_timer;
    CancelToken m_cancel;
    JobGroup m_jobs; // last: its jobs end before the rest goes
};

} // namespace cask::app
