// The spread of a stereo element at three widths, each with what it loses in mono.
#pragma once

#include "app/models/desk.h"

#include <QWidget>

#include <array>

class QLabel;
class QPushButton;

namespace cask::app {

class SpreadModel;

class SpreadRow : public QWidget {
    Q_OBJECT

  public:
    explicit SpreadRow(const Desk& desk, QWidget* parent = nullptr);
    [[nodiscard]] SpreadModel& model() const { return *m_model; }
    [[nodiscard]] QPushButton& button(int index) const { return *m_buttons[static_cast<std::size_t>(index)]; }
    /// What the chosen spread costs, in words.
    [[nodiscard]] QString text() const;

  protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

  private:
    void refresh();

    Desk m_desk;
    SpreadModel* m_model;
    std::array<QPushButton*, 3> m_buttons{};
    QLabel* m_text;
};

} // namespace cask::app
