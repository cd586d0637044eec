// The kit sheet: what was found in dropped files, corrected before elements are made of it.
#pragma once

#include "app/models/desk.h"

#include <QDialog>

#include <core/session/kit_sheet.h>

class QLabel;
class QPushButton;
class QTableWidget;

namespace cask::app {

class ChoiceRow;
class RoleChooser;

class KitSheetBox : public QDialog {
    Q_OBJECT

  public:
    /// `problems`: files that can't be used, a sentence each.
    KitSheetBox(const session::KitSheet& sheet, double sessionRateHz, const QStringList& problems,
                QWidget* parent = nullptr);

    [[nodiscard]] const session::KitSheet& sheet() const { return m_sheet; }
    /// The take that is chosen; -1 for all together.
    [[nodiscard]] int take() const;
    [[nodiscard]] QTableWidget& table() const { return *m_table; }
    [[nodiscard]] ChoiceRow& takes() const { return *m_takes; }
    [[nodiscard]] RoleChooser& roles() const { return *m_roles; }
    [[nodiscard]] QPushButton& roleButton() const { return *m_role; }
    [[nodiscard]] QPushButton& pairButton() const { return *m_pair; }
    [[nodiscard]] QPushButton& cleanButton() const { return *m_clean; }
    [[nodiscard]] QPushButton& importButton() const { return *m_import; }
    [[nodiscard]] QString summary() const;

  protected:
    /// Keys belong to the sheet: R the role, U the next without one, P a pair, Space takes or leaves.
    bool event(QEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    void fill();
    void refresh();
    void chooseRole();
    void joinOrPart();
    void toggleWanted();
    void chooseNextUnknown();
    [[nodiscard]] std::vector<std::size_t> chosenRows() const;
    [[nodiscard]] bool isSeen(const session::SheetRow& row) const;

    session::KitSheet m_sheet;
    double m_sessionRateHz;
    std::vector<std::size_t> m_rows; ///< of the sheet, by row of the table
    ChoiceRow* m_takes;
    QTableWidget* m_table;
    QLabel* m_summary;
    QLabel* m_problems;
    RoleChooser* m_roles;
    QPushButton* m_role;
    QPushButton* m_pair;
    QPushButton* m_clean;
    QPushButton* m_import;
    bool m_isFilling = false;
};

} // namespace cask::app
