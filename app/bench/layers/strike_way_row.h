// How a sound joins a recorded drum whose hits strike it: under all of it, instead of it, under its louder
// hits.
#pragma once

#include "app/models/layer_model.h"

#include <QWidget>

class QLabel;

namespace cask::app {

class ChoiceRow;
class ValueBar;

class StrikeWayRow : public QWidget {
    Q_OBJECT

  public:
    explicit StrikeWayRow(QWidget* parent = nullptr);
    /// Another element begins with "under it". Other strikes are parted anew.
    void setStrikes(session::Id element, std::vector<layers::Strike> strikes);
    [[nodiscard]] StrikeWay way() const;
    // For tests.
    [[nodiscard]] ChoiceRow& choice() { return *m_choice; }
    [[nodiscard]] ValueBar& level() { return *m_level; }
    [[nodiscard]] QString countText() const;

  private:
    void refresh();

    session::Id m_element = session::kNoId;
    std::vector<layers::Strike> m_strikes;
    ChoiceRow* m_choice;
    ValueBar* m_level;
    QLabel* m_count;
};

} // namespace cask::app
