// Under the Board: what is wrong with the chosen element's file, and what happened to the session.
#pragma once

#include "app/document/desk.h"

#include <QWidget>

class QLabel;
class QPushButton;

namespace cask::app {

class NotesPanel : public QWidget {
    Q_OBJECT

  public:
    explicit NotesPanel(const Desk& desk, QWidget* parent = nullptr);
    [[nodiscard]] QString text() const;

  private:
    void refresh();
    void findFile();

    Desk m_desk;
    QLabel* m_title;
    QLabel* m_text;
    QPushButton* m_find;
    QPushButton* m_clear;
};

} // namespace cask::app
