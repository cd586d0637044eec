// What is wished for, by a word; under it the ways to it, each with what it comes to and costs.
#pragma once

#include "app/models/desk.h"
#include "app/models/wish_model.h"

#include <QWidget>

class QComboBox;
class QLabel;
class QPushButton;
class QVBoxLayout;

namespace cask::app {

class ChoiceRow;

class WishRow : public QWidget {
    Q_OBJECT

  public:
    explicit WishRow(const Desk& desk, QWidget* parent = nullptr);
    [[nodiscard]] WishModel& model() { return *m_model; }
    // For tests.
    [[nodiscard]] ChoiceRow& wishes() { return *m_wishes; }
    [[nodiscard]] QComboBox& keyBox() { return *m_key; }
    [[nodiscard]] QString stateText() const;
    [[nodiscard]] const std::vector<QPushButton*>& takeButtons() const { return m_takes; }
    [[nodiscard]] const std::vector<QPushButton*>& tryButtons() const { return m_tries; }

  private:
    void search();
    void fillKeys();
    void refresh();
    void showAnswers();

    Desk m_desk;
    WishModel* m_model;
    ChoiceRow* m_wishes;
    QComboBox* m_key;
    QPushButton* m_stop;
    QLabel* m_state;
    QVBoxLayout* m_answers;
    std::vector<QWidget*> m_rows;
    std::vector<QPushButton*> m_tries, m_takes;
};

} // namespace cask::app
