// A ride drawn by a rule: at which hits a value moves, how far and for how long.
#pragma once

#include "app/models/desk.h"

#include <QDialog>

#include <core/project/rule_ride.h>
#include <map>

class QComboBox;
class QLabel;
class QPushButton;

namespace cask::app {

class ChoiceRow;
class ValueBar;

class RideRuleBox : public QDialog {
    Q_OBJECT

  public:
    RideRuleBox(const Desk& desk, const session::RideChoice& value, QWidget* parent = nullptr);
    // For tests.
    [[nodiscard]] QComboBox& hitsOf() { return *m_hitsOf; }
    [[nodiscard]] ChoiceRow& kinds() { return *m_kinds; }
    [[nodiscard]] ValueBar& bar(const std::string& id) { return *m_bars.at(id); }
    [[nodiscard]] QPushButton& drawButton() { return *m_draw; }
    [[nodiscard]] QString said() const;

  private:
    void addBar(const session::ParameterInfo& info, const std::function<QString(double)>& say = {});
    [[nodiscard]] layers::LayerRule rule() const;
    [[nodiscard]] std::vector<layers::Strike> strikes() const;
    void refresh();
    void draw();

    Desk m_desk;
    session::RideChoice m_value;
    QComboBox* m_hitsOf;
    ChoiceRow* m_kinds;
    QWidget* m_barBox;
    std::map<std::string, ValueBar*> m_bars;
    QLabel* m_said;
    QPushButton* m_draw;
};

} // namespace cask::app
