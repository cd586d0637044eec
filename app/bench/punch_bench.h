// Punch: the compressors of an element or bus, set on its own hits.
#pragma once

#include "app/bench/hit_gain_picture.h"
#include "app/bench/level_curve_picture.h"
#include "app/bench/module_boxes.h"
#include "app/document/punch_model.h"

#include <QWidget>

class QCheckBox;
class QComboBox;
class QPushButton;

namespace cask::app {

class ChainOrderRow;
class ChoiceRow;
class ModuleFields;

class PunchBench : public QWidget {
    Q_OBJECT

  public:
    explicit PunchBench(const Desk& desk, QWidget* parent = nullptr);
    [[nodiscard]] QString summary() const;
    [[nodiscard]] PunchModel& punch() { return *m_punch; }
    // For tests.
    [[nodiscard]] LevelCurvePicture& curve() { return *m_curve; }
    [[nodiscard]] HitGainPicture& hit() { return *m_hit; }
    [[nodiscard]] ModuleFields& fields() { return *m_fields; }
    [[nodiscard]] ModuleFields& more() { return *m_more; }
    [[nodiscard]] ChainOrderRow& order() { return *m_order; }
    [[nodiscard]] QComboBox& whichBox() { return *m_which; }
    [[nodiscard]] QComboBox& keyBox() { return *m_key; }
    [[nodiscard]] ChoiceRow& tapRow() { return *m_tap; }
    [[nodiscard]] QComboBox& sectionBox() { return *m_section; }
    [[nodiscard]] QPushButton& addButton() { return *m_add; }
    [[nodiscard]] QPushButton& removeButton() { return *m_remove; }
    [[nodiscard]] QCheckBox& onBox() { return *m_on; }

  signals:
    void summaryChanged();

  protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void keyReleaseEvent(QKeyEvent* event) override;

  private:
    [[nodiscard]] QWidget* makeActions();
    void makeFields();
    void refresh();
    void fillWhich();
    void showTap();
    /// Holds one of the hearing keys; false when it is none.
    bool hold(int key, bool on);

    Desk m_desk;
    PunchModel* m_punch;
    LevelCurvePicture* m_curve;
    HitGainPicture* m_hit;
    ModuleFields* m_fields;
    ModuleFields* m_more;
    ChainOrderRow* m_order;
    QPushButton* m_add;
    QCheckBox* m_on;
    QComboBox* m_which;
    KeyBox* m_key;
    ChoiceRow* m_tap;
    SectionBox* m_section;
    QPushButton* m_remove;
    MoreButton* m_moreButton;
};

} // namespace cask::app
