// Hits: what was played, how loud, how well in time, and where else it was heard.
#pragma once

#include "app/models/desk.h"

#include <QWidget>

class QComboBox;
class QLabel;
class QPushButton;

namespace cask::app {

class ChoiceRow;
class ElidedLabel;
class LevelPicture;
class SpillPicture;
class TempoRow;
class TimingPicture;

class HitsBench : public QWidget {
    Q_OBJECT

  public:
    explicit HitsBench(const Desk& desk, QWidget* parent = nullptr);
    [[nodiscard]] QString summary() const;
    // For tests.
    [[nodiscard]] LevelPicture& levels() { return *m_levels; }
    [[nodiscard]] TimingPicture& timing() { return *m_timing; }
    [[nodiscard]] SpillPicture& spill() { return *m_spill; }
    [[nodiscard]] ChoiceRow& classes() { return *m_classes; }
    [[nodiscard]] TempoRow& tempo() { return *m_tempoRow; }

  protected:
    void keyPressEvent(QKeyEvent* event) override;

  private:
    void refresh();
    void hearSelection();
    void fillOwners(int drum);
    [[nodiscard]] QString selectionText() const;

    Desk m_desk;
    LevelPicture* m_levels;
    TimingPicture* m_timing;
    SpillPicture* m_spill;
    ElidedLabel* m_hit;
    ChoiceRow* m_classes;
    QComboBox* m_owner;
    QPushButton* m_add;
    QPushButton* m_remove;
    QPushButton* m_play;
    TempoRow* m_tempoRow;
};

} // namespace cask::app
