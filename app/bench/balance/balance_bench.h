// Balance: everything heard, with room to spare.
#pragma once

#include "app/bench/module/module_boxes.h"
#include "app/models/desk.h"

#include <QWidget>

#include <core/session/parameters.h>
#include <vector>

class QComboBox;
class QPushButton;

namespace cask::app {

class BalancePlane;
class SendsRow;
class ValueBar;

class BalanceBench : public QWidget {
    Q_OBJECT

  public:
    explicit BalanceBench(const Desk& desk, QWidget* parent = nullptr);
    [[nodiscard]] QString summary() const;
    [[nodiscard]] BalancePlane& plane() { return *m_plane; }
    [[nodiscard]] ValueBar* bar(const QString& id) const;
    [[nodiscard]] QComboBox* busChoice() const { return m_bus; }
    [[nodiscard]] SectionBox& sectionBox() { return *m_section; }
    [[nodiscard]] QPushButton& clearButton() { return *m_clear; }
    [[nodiscard]] SendsRow& sends() { return *m_sends; }

  private:
    void refresh();
    void editOutput(const session::Field<session::Output>& field, double value, bool isDragging);
    void routeTo(int index);
    [[nodiscard]] session::SectionChange changeHere() const;
    void clearSection();

    Desk m_desk;
    BalancePlane* m_plane;
    std::vector<std::pair<const session::Field<session::Output>*, ValueBar*>> m_bars;
    QComboBox* m_bus;
    SectionBox* m_section;
    QPushButton* m_clear;
    SendsRow* m_sends;
};

} // namespace cask::app
