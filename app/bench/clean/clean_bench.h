// Clean: the gate of an element, set on its own hits.
#pragma once

#include "app/bench/clean/gate_bands_picture.h"
#include "app/bench/clean/gate_hits_picture.h"
#include "app/bench/clean/gate_shape_picture.h"
#include "app/bench/module/module_boxes.h"
#include "app/models/gate_model.h"

#include <QWidget>

class QPushButton;

namespace cask::app {

class ChainOrderRow;
class ModuleActions;
class ModuleFields;
class ValueBar;

class CleanBench : public QWidget {
    Q_OBJECT

  public:
    explicit CleanBench(const Desk& desk, QWidget* parent = nullptr);
    [[nodiscard]] QString summary() const;
    [[nodiscard]] GateModel& gate() { return *m_gate; }
    // For tests.
    [[nodiscard]] GateHitsPicture& hits() { return *m_hits; }
    [[nodiscard]] GateShapePicture& shape() { return *m_shape; }
    [[nodiscard]] GateBandsPicture& bands() { return *m_bands; }
    [[nodiscard]] ValueBar* bar(const QString& id) const;
    [[nodiscard]] ChainOrderRow& order() { return *m_order; }
    [[nodiscard]] ModuleActions& actions() { return *m_actions; }
    [[nodiscard]] ModuleFields& more() { return *m_more; }
    [[nodiscard]] QPushButton& removedButton() { return *m_removed; }
    [[nodiscard]] MoreButton& moreButton() { return *m_moreButton; }
    [[nodiscard]] QPushButton& copyButton() { return *m_copy; }

  signals:
    void summaryChanged();

  protected:
    void resizeEvent(QResizeEvent* event) override;
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

  private:
    void makeHearing();
    void makeFields();
    void refresh();
    void giveWay();
    void hearHit(int hit);
    void listen(graph::Listening listening);
    /// "1/16", "1/8 t" (triplet), "1/8 ." (dotted) at the tempo, in ms.
    [[nodiscard]] std::optional<double> readNoteValue(const QString& text) const;

    Desk m_desk;
    GateModel* m_gate;
    GateHitsPicture* m_hits;
    QWidget* m_lower; ///< the two pictures below the hits
    GateShapePicture* m_shape;
    GateBandsPicture* m_bands;
    ModuleActions* m_actions;
    ModuleFields* m_fields;
    ModuleFields* m_more;
    ChainOrderRow* m_order;
    QPushButton* m_detector;
    QPushButton* m_removed;
    QPushButton* m_copy;
    MoreButton* m_moreButton;
};

} // namespace cask::app
