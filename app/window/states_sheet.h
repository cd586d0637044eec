// The mixes that were kept under a name, with what is other in them, and every step of the work.
#pragma once

#include "app/document/document.h"

#include <QDialog>

class QListWidget;
class QPushButton;

namespace cask::app {

class StatesSheet : public QDialog {
    Q_OBJECT

  public:
    explicit StatesSheet(Document& document, QWidget* parent = nullptr);

    [[nodiscard]] QListWidget& list() const { return *m_list; }
    [[nodiscard]] QListWidget& differences() const { return *m_differences; }
    [[nodiscard]] QPushButton& keepButton() const { return *m_keep; }
    [[nodiscard]] QPushButton& useButton() const { return *m_use; }
    [[nodiscard]] QPushButton& removeButton() const { return *m_remove; }

  signals:
    /// A name for the mix as it is now is wanted.
    void wantsKeep();

  private:
    void refresh();
    void showDifferences();
    [[nodiscard]] std::string chosen() const;

    Document& m_document;
    QListWidget* m_list;
    QListWidget* m_differences;
    QPushButton* m_keep;
    QPushButton* m_use;
    QPushButton* m_remove;
};

/// The history as a list: a click goes to a step, and those after it can still be gone to.
class StepList : public QDialog {
    Q_OBJECT

  public:
    explicit StepList(Document& document, QWidget* parent = nullptr);
    [[nodiscard]] QListWidget& list() const { return *m_list; }

  private:
    void refresh();

    Document& m_document;
    QListWidget* m_list;
    bool m_isFilling = false;
};

} // namespace cask::app
