// Punch: what an element or bus has to shape its hits in time, set on these hits.
#pragma once

#include "app/bench/module/module_actions.h"
#include "app/bench/punch/hit_gain_picture.h"
#include "app/bench/punch/level_curve_picture.h"
#include "app/models/punch_model.h"

#include <QWidget>

class QLabel;
class QToolButton;

namespace cask::app {

class ChainOrderRow;
class DriverRow;
class HitMarksPicture;
class ModuleFields;
class PumpPicture;
class WishRow;

class PunchBench : public QWidget {
    Q_OBJECT

  public:
    explicit PunchBench(const Desk& desk, QWidget* parent = nullptr);
    [[nodiscard]] QString summary() const;
    [[nodiscard]] PunchModel& punch() { return *m_punch; }
    // For tests.
    [[nodiscard]] LevelCurvePicture& curve() { return *m_curve; }
    [[nodiscard]] HitGainPicture& hit() { return *m_hit; }
    [[nodiscard]] HitMarksPicture& marks() { return *m_marks; }
    [[nodiscard]] DriverRow& drivers() { return *m_drivers; }
    [[nodiscard]] ModuleFields& fields() { return *m_fields; }
    [[nodiscard]] ModuleFields& more() { return *m_more; }
    [[nodiscard]] ModuleFields& shaperFields() { return *m_shaperFields; }
    [[nodiscard]] ModuleFields& pumpFields() { return *m_pumpFields; }
    [[nodiscard]] ModuleFields& limiterFields() { return *m_limiterFields; }
    [[nodiscard]] PumpPicture& pumpPicture() { return *m_pumpPicture; }
    [[nodiscard]] WishRow& wishes() { return *m_wishes; }
    [[nodiscard]] QToolButton& otherButton() { return *m_otherButton; }
    /// What it does to the shape of hits, in words.
    [[nodiscard]] QString shapeText() const;
    [[nodiscard]] ChainOrderRow& order() { return *m_order; }
    [[nodiscard]] ModuleActions& actions() { return *m_actions; }

  signals:
    void summaryChanged();

  protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

  private:
    void makeFields();
    void makeOtherButton();
    void refresh();

    Desk m_desk;
    PunchModel* m_punch;
    LevelCurvePicture* m_curve;
    HitGainPicture* m_hit;
    HitMarksPicture* m_marks;
    DriverRow* m_drivers;
    ModuleFields* m_fields;
    ModuleFields* m_more;
    ModuleFields* m_shaperFields;
    ModuleFields* m_pumpFields;
    ModuleFields* m_limiterFields;
    PumpPicture* m_pumpPicture;
    WishRow* m_wishes;
    QToolButton* m_otherButton;
    QLabel* m_shape;
    ChainOrderRow* m_order;
    ModuleActions* m_actions;
    MoreButton* m_moreButton;
};

} // namespace cask::app
