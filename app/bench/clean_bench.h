// Clean: the gate of an element, set on its own hits.
#pragma once

#include "app/bench/gate_bands_picture.h"
#include "app/bench/gate_hits_picture.h"
#include "app/bench/gate_shape_picture.h"
#include "app/bench/module_boxes.h"
#include "app/document/gate_model.h"

#include <QWidget>

#include <core/session/parameters.h>
#include <span>
#include <vector>

class QCheckBox;
class QComboBox;
class QLabel;
class QHBoxLayout;
class QPushButton;

namespace cask::app {

class ChoiceRow;
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
    [[nodiscard]] QComboBox& keyBox() { return *m_key; }
    [[nodiscard]] QComboBox& sectionBox() { return *m_section; }
    [[nodiscard]] QPushButton& addButton() { return *m_add; }
    [[nodiscard]] QPushButton& removedButton() { return *m_removed; }
    [[nodiscard]] QPushButton& copyButton() { return *m_copy; }

  signals:
    void summaryChanged();

  protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

  private:
    [[nodiscard]] QWidget* makeActions();
    [[nodiscard]] QWidget* makeMore();
    [[nodiscard]] QHBoxLayout* makeBars(std::span<const char* const> ids);
    [[nodiscard]] ValueBar* makeBar(const char* id);
    [[nodiscard]] ChoiceRow* makeChoice(const char* id);
    void refresh();
    void editField(const std::string& id, double value, bool isDragging);
    [[nodiscard]] double shownValue(const session::Field<dsp::GateSettings>& field) const;
    void hearHit(int hit);
    void listen(graph::Listening listening);
    void hearWithout(bool on);
    /// "1/16", "1/8 t" (triplet), "1/8 ." (dotted) at the tempo, in ms.
    [[nodiscard]] std::optional<double> readNoteValue(const QString& text) const;

    Desk m_desk;
    GateModel* m_gate;
    GateHitsPicture* m_hits;
    GateShapePicture* m_shape;
    GateBandsPicture* m_bands;
    QPushButton* m_add;
    QCheckBox* m_on;
    KeyBox* m_key;
    SectionBox* m_section;
    QPushButton* m_without;
    QPushButton* m_detector;
    QPushButton* m_removed;
    QPushButton* m_copy;
    QPushButton* m_remove;
    MoreButton* m_moreButton;
    QWidget* m_more = nullptr;
    QCheckBox* m_inverted = nullptr;
    std::vector<ValueBar*> m_bars;
    std::vector<std::pair<const session::Field<dsp::GateSettings>*, ChoiceRow*>> m_choices;
};

} // namespace cask::app
