// The sounds of the chosen layer: which of them play for which velocities.
#pragma once

#include <QDialog>

#include <core/layers/layer.h>
#include <functional>

class QLabel;
class QPushButton;
class QTableWidget;

namespace cask::app {

class LayerModel;

class LayerSoundsBox : public QDialog {
    Q_OBJECT

  public:
    explicit LayerSoundsBox(LayerModel& model, QWidget* parent = nullptr);
    enum Column { kSound, kFrom, kTo, kGain, kPlays, kColumns };
    /// Tests answer instead of a file dialog.
    std::function<QStringList()> askForSounds;
    // For tests.
    [[nodiscard]] QTableWidget& table() { return *m_table; }
    [[nodiscard]] QPushButton& addButton() { return *m_add; }
    [[nodiscard]] QPushButton& removeButton() { return *m_remove; }
    [[nodiscard]] QPushButton& sortButton() { return *m_sort; }
    [[nodiscard]] QPushButton& alikeButton() { return *m_alike; }
    [[nodiscard]] QString said() const;

  protected:
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;

  private:
    [[nodiscard]] const layers::Layer* layer() const;
    void edit(const std::function<void(std::vector<layers::LayerSound>&)>& change);
    void take(const QStringList& files);
    void setCell(int row, int column);
    void refresh();
    void refreshButtons();

    LayerModel& m_model;
    QLabel* m_said;
    QTableWidget* m_table;
    QPushButton* m_add;
    QPushButton* m_remove;
    QPushButton* m_sort;
    QPushButton* m_alike;
    bool m_isFilling = false;
};

} // namespace cask::app
