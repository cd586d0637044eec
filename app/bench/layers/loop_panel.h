// A recorded element as material: which of its drums stay, how its pieces are moved, and the cut.
#pragma once

#include "app/models/loop_model.h"

#include <QWidget>

#include <map>

class QCheckBox;
class QComboBox;
class QHBoxLayout;
class QLabel;
class QPushButton;

namespace cask::app {

class ChoiceRow;
class LoopPicture;
class ValueBar;

class LoopPanel : public QWidget {
    Q_OBJECT

  public:
    explicit LoopPanel(const Desk& desk, QWidget* parent = nullptr);
    [[nodiscard]] LoopModel& model() { return *m_model; }
    // For tests.
    [[nodiscard]] LoopPicture& picture() { return *m_picture; }
    [[nodiscard]] ValueBar& bar(const std::string& id) { return *m_bars.at(id); }
    [[nodiscard]] ChoiceRow& grid() { return *m_grid; }
    [[nodiscard]] QCheckBox* drumBox(const std::string& drum) const;
    [[nodiscard]] QComboBox& duckBy() { return *m_duckBy; }
    [[nodiscard]] QCheckBox& onlyLoop() { return *m_onlyLoop; }
    [[nodiscard]] QPushButton& cutButton() { return *m_cut; }
    [[nodiscard]] QString said() const;

  protected:
    void showEvent(QShowEvent* event) override;

  private:
    void refresh();
    void fillDrums();
    void fillKeys();
    void addBar(const session::ParameterInfo& info, const QString& nothing,
                const std::function<void(double)>& set);

    Desk m_desk;
    LoopModel* m_model;
    LoopPicture* m_picture;
    QWidget* m_barBox;
    std::map<std::string, ValueBar*> m_bars;
    ChoiceRow* m_grid;
    QHBoxLayout* m_drumRow;
    std::vector<QCheckBox*> m_drums;
    QComboBox* m_duckBy;
    QCheckBox* m_stretched;
    QCheckBox* m_onlyLoop;
    QCheckBox* m_mutes;
    QLabel* m_said;
    QPushButton* m_cut;
};

} // namespace cask::app
