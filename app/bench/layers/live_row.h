// The stack played by hand: from what, to a click, and recorded.
#pragma once

#include "app/models/live_model.h"

#include <QWidget>

class QCheckBox;
class QComboBox;
class QLabel;
class QPushButton;

namespace cask::app {

class LiveRow : public QWidget {
    Q_OBJECT

  public:
    explicit LiveRow(LiveModel& model, QWidget* parent = nullptr);
    // For tests.
    [[nodiscard]] QComboBox& input() { return *m_input; }
    [[nodiscard]] QPushButton& strikeButton() { return *m_strike; }
    [[nodiscard]] QPushButton& recordButton() { return *m_record; }
    [[nodiscard]] QCheckBox& click() { return *m_click; }
    [[nodiscard]] QCheckBox& chain() { return *m_chain; }
    [[nodiscard]] QCheckBox& instead() { return *m_instead; }

  private:
    void refresh();

    LiveModel& m_model;
    QComboBox* m_input;
    QPushButton* m_strike;
    QCheckBox* m_click;
    QCheckBox* m_chain;
    QPushButton* m_record;
    QCheckBox* m_instead;
    QLabel* m_status;
};

} // namespace cask::app
