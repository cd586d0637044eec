// Values of the chosen layer: the few that matter first, the rest folded.
#pragma once

#include "app/models/desk.h"
#include "app/models/layer_model.h"

#include <QPointer>
#include <QWidget>

#include <string>
#include <string_view>
#include <utility>
#include <vector>

class QCheckBox;
class QComboBox;
class QPushButton;

namespace cask::app {

class ChoiceRow;
class LayerSoundsBox;
class MoreButton;
class ValueBar;

class LayerFields : public QWidget {
    Q_OBJECT

  public:
    LayerFields(const Desk& desk, LayerModel& model, QWidget* parent = nullptr);
    // For tests.
    [[nodiscard]] ValueBar& bar(std::string_view name) const;
    [[nodiscard]] ChoiceRow& hits() { return *m_hits; }
    [[nodiscard]] ChoiceRow& purpose() { return *m_purpose; }
    [[nodiscard]] QComboBox& where() { return *m_where; }
    [[nodiscard]] QCheckBox& byVelocity() { return *m_byVelocity; }
    [[nodiscard]] MoreButton& moreButton() { return *m_moreButton; }
    [[nodiscard]] QPushButton& soundsButton() { return *m_sounds; }
    [[nodiscard]] LayerSoundsBox* soundsBox() const;

  private:
    struct Check {
        QCheckBox* box;
        bool (*get)(const layers::Layer&);
        void (*set)(layers::Layer&, bool);
    };
    void addBars(QWidget* parent, bool isMore);
    QCheckBox* addCheck(const QString& words, QWidget* parent, bool (*get)(const layers::Layer&),
                        void (*set)(layers::Layer&, bool));
    void edit(const std::function<void(layers::Layer&)>& change, const QString& what);
    void refresh();
    void fillWhere(const layers::LayerRule& rule);
    [[nodiscard]] const layers::Layer* chosen() const;

    Desk m_desk;
    LayerModel& m_model;
    QWidget* m_more;
    MoreButton* m_moreButton;
    std::vector<std::pair<std::size_t, ValueBar*>> m_bars; ///< by place in layerValues()
    std::vector<Check> m_checks;
    ChoiceRow* m_hits;
    ChoiceRow* m_purpose;
    QComboBox* m_where;
    QCheckBox* m_byVelocity;
    QPushButton* m_sounds;
    QPointer<LayerSoundsBox> m_soundsBox;
};

} // namespace cask::app
