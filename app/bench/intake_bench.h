// Intake: what each file is, whether it is sound, and what is done to it before everything else.
#pragma once

#include "app/document/desk.h"

#include <QWidget>

#include <core/session/parameters.h>
#include <optional>
#include <vector>

class QCheckBox;
class QLabel;
class QPushButton;

namespace cask::app {

class ValueBar;

class IntakeBench : public QWidget {
    Q_OBJECT

  public:
    explicit IntakeBench(const Desk& desk, QWidget* parent = nullptr);
    [[nodiscard]] QString summary() const;
    [[nodiscard]] QPushButton* roleButton(Role role) const;
    [[nodiscard]] ValueBar* bar(const QString& id) const;
    [[nodiscard]] QPushButton* pairButton() const { return m_pair; }

  protected:
    bool event(QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    [[nodiscard]] static std::optional<Role> roleOfKey(const QKeyEvent& event);
    void refresh();
    void setRole(Role role);
    void editInput(const session::Field<session::InputSettings>& field, double value, bool isDragging);
    void joinOrPart();
    [[nodiscard]] Id partner() const;
    [[nodiscard]] QString factsText() const;

    Desk m_desk;
    QLabel* m_facts;
    std::vector<std::pair<Role, QPushButton*>> m_roles;
    std::vector<std::pair<const session::Field<session::InputSettings>*, ValueBar*>> m_bars;
    std::vector<std::pair<const session::Field<session::InputSettings>*, QCheckBox*>> m_switches;
    QPushButton* m_pair;
};

} // namespace cask::app
