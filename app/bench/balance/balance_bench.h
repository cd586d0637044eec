// Balance: everything heard, with room to spare.
#pragma once

#include "app/bench/module/module_boxes.h"
#include "app/models/desk.h"

#include <QWidget>

#include <core/session/parameters.h>
#include <vector>

class QComboBox;
class QHBoxLayout;
class QPushButton;
class QStackedLayout;

namespace cask::app {

class BalancePlane;
class ChoiceRow;
class RoughBalanceModel;
class RoughBalancePanel;
class SendsRow;
class SpreadRow;
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
    [[nodiscard]] SpreadRow& spread() { return *m_spread; }
    [[nodiscard]] RoughBalanceModel& rough() { return *m_rough; }
    [[nodiscard]] RoughBalancePanel& roughPanel() { return *m_roughPanel; }
    [[nodiscard]] QPushButton& roughButton() { return *m_roughButton; }
    [[nodiscard]] QPushButton& turnButton() { return *m_turn; }
    [[nodiscard]] ChoiceRow& viewChoice() { return *m_view; }

    /// Looks for the rough balance and shows it; its steps then have the keys.
    void searchRough();

  private:
    void refresh();
    [[nodiscard]] QHBoxLayout* kitRow();
    void turnKit();
    void editOutput(const session::Field<session::Output>& field, double value, bool isDragging);
    void routeTo(int index);
    [[nodiscard]] session::SectionChange changeHere() const;
    void clearSection();

    Desk m_desk;
    RoughBalanceModel* m_rough;
    RoughBalancePanel* m_roughPanel;
    QPushButton* m_roughButton;
    ChoiceRow* m_view;
    QPushButton* m_turn;
    QStackedLayout* m_pages; ///< the plane, or the rough balance before it is taken
    BalancePlane* m_plane;
    std::vector<std::pair<const session::Field<session::Output>*, ValueBar*>> m_bars;
    QComboBox* m_bus;
    SectionBox* m_section;
    QPushButton* m_clear;
    SendsRow* m_sends;
    SpreadRow* m_spread;
};

} // namespace cask::app
