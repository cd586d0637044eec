// The rough balance before it is taken: every step with its reason, any of them refused.
#pragma once

#include "app/models/desk.h"
#include "app/models/rough_balance_model.h"

#include <QWidget>

class QLabel;
class QProgressBar;
class QPushButton;
class QTableWidget;

namespace cask::app {

class ChoiceRow;

class RoughBalancePanel : public QWidget {
    Q_OBJECT

  public:
    RoughBalancePanel(const Desk& desk, RoughBalanceModel& model, QWidget* parent = nullptr);
    [[nodiscard]] QTableWidget& steps() { return *m_steps; }
    [[nodiscard]] QPushButton& takeButton() { return *m_take; }
    [[nodiscard]] QPushButton& tryButton() { return *m_try; }
    [[nodiscard]] QPushButton& leaveButton() { return *m_leave; }
    /// The list of steps has the keys once there is one.
    void takeKeys() { m_takesKeys = true; }
    [[nodiscard]] QString headroomText() const;
    [[nodiscard]] QString notesText() const;

  protected:
    /// Space ticks the chosen step; it does not play there.
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    void refresh();
    void fillSteps();

    Desk m_desk;
    RoughBalanceModel& m_model;
    QLabel* m_headroom;
    QProgressBar* m_progress;
    QTableWidget* m_steps;
    QLabel* m_notes;
    QPushButton* m_try;
    QPushButton* m_take;
    QPushButton* m_leave;
    bool m_takesKeys = false;
    bool m_isFilled = false; ///< with the steps that were found
};

} // namespace cask::app
