// All roles in a small sheet: a click, or its letter while the sheet is open.
#pragma once

#include <QFrame>

#include <core/base/role.h>
#include <optional>
#include <utility>
#include <vector>

class QPushButton;

namespace cask::app {

class RoleChooser : public QFrame {
    Q_OBJECT

  public:
    explicit RoleChooser(QWidget* parent = nullptr);
    /// Shows itself there, the role that it is now marked; nothing marked where several differ.
    void open(const QPoint& globalPosition, std::optional<Role> now);
    [[nodiscard]] QPushButton* button(Role role) const;

  signals:
    void chosen(cask::Role role);

  protected:
    bool event(QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    void choose(Role role);

    std::vector<std::pair<Role, QPushButton*>> m_buttons;
};

} // namespace cask::app
