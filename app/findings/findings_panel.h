// Under the Board: what wants attention, on the chosen element or in the whole kit, and what happened to the
// session.
#pragma once

#include "app/models/desk.h"

#include <QWidget>

#include <vector>

class QLabel;
class QPushButton;
class QScrollArea;
class QVBoxLayout;

namespace cask::app {

class ChoiceRow;
class FindingRow;

class FindingsPanel : public QWidget {
    Q_OBJECT

  public:
    explicit FindingsPanel(const Desk& desk, QWidget* parent = nullptr);

    /// Notes on the session and all sentences shown, a line each.
    [[nodiscard]] QString text() const;
    [[nodiscard]] const std::vector<FindingRow*>& rows() const { return m_rows; }
    [[nodiscard]] FindingRow* currentRow() const;
    [[nodiscard]] ChoiceRow& scope() const { return *m_scope; }
    [[nodiscard]] QPushButton& smallOnes() const { return *m_small; }
    void setCurrent(const std::string& id);

  signals:
    /// The chosen element's file is to be taken from there.
    void wantsRelink(cask::session::Id file, const QString& path);

  protected:
    void keyPressEvent(QKeyEvent* event) override;
    void keyReleaseEvent(QKeyEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void focusInEvent(QFocusEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;

  private:
    void refresh();
    void rebuild(const std::vector<const advise::Finding*>& shown);
    [[nodiscard]] std::vector<const advise::Finding*> shown() const;
    void step(int by);
    void findFile();
    void acceptFile();

    Desk m_desk;
    QLabel* m_title;
    ChoiceRow* m_scope;
    QLabel* m_notes;
    QLabel* m_empty;
    QScrollArea* m_scroll;
    QVBoxLayout* m_list;
    QPushButton* m_find;
    QPushButton* m_accept;
    QPushButton* m_clear;
    QPushButton* m_small; ///< shows what is folded
    std::vector<FindingRow*> m_rows;
    std::string m_current;
    QString m_built; // what the rows were built of
};

} // namespace cask::app
