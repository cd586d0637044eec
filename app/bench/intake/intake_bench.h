// Intake: what each file is, whether it is sound, and what is done to it before everything else.
#pragma once

#include "app/models/desk.h"

#include <QWidget>

#include <core/session/parameters.h>
#include <optional>
#include <vector>

class QCheckBox;
class QLabel;
class QPushButton;

namespace cask::app {

class ChoiceRow;
class PairBench;
class RoleChooser;
class ValueBar;

class IntakeBench : public QWidget {
    Q_OBJECT

  public:
    explicit IntakeBench(const Desk& desk, QWidget* parent = nullptr);
    [[nodiscard]] QString summary() const;
    /// Opens the roles for all selected elements.
    void chooseRole();
    [[nodiscard]] RoleChooser& roles() const { return *m_roles; }
    [[nodiscard]] QPushButton* roleButton() const { return m_role; }
    [[nodiscard]] ValueBar* bar(const QString& id) const;
    [[nodiscard]] QPushButton* pairButton() const { return m_pair; }
    /// The file alone, or laid over another microphone of the same drum.
    [[nodiscard]] ChoiceRow& view() const { return *m_view; }
    [[nodiscard]] PairBench& pairBench() const { return *m_pairBench; }
    /// Shows the pair with another element; false when they are no pair.
    bool showPairWith(Id other);

  private:
    void refresh();
    void refreshView();
    void chooseView(int index);
    void setRole(Role role);
    void editInput(const session::Field<session::InputSettings>& field, double value, bool isDragging);
    void joinOrPart();
    [[nodiscard]] Id partner() const;
    [[nodiscard]] QString factsText() const;

    Desk m_desk;
    ChoiceRow* m_view;
    PairBench* m_pairBench;
    QWidget* m_picture;
    std::vector<Id> m_others;     // by choice of the view, after the first
    Id m_viewed = session::kNoId; // element that the view was chosen for
    QLabel* m_facts;
    QPushButton* m_role;
    RoleChooser* m_roles;
    std::vector<std::pair<const session::Field<session::InputSettings>*, ValueBar*>> m_bars;
    std::vector<std::pair<const session::Field<session::InputSettings>*, QCheckBox*>> m_switches;
    QPushButton* m_pair;
};

} // namespace cask::app
