// Layers: the sounds that a played element is made of; and what a recorded one can be struck with.
#pragma once

#include "app/models/desk.h"
#include "app/models/layer_model.h"

#include <QPointer>
#include <QWidget>

class QLabel;
class QPushButton;

namespace cask::app {

class KitChangeBox;
class LayerBandsPicture;
class LayerFields;
class LayersPicture;
class LiveModel;
class LiveRow;
class LoopPanel;
class LayerStrikesPicture;
class StrikeWayRow;

class LayersBench : public QWidget {
    Q_OBJECT

  public:
    explicit LayersBench(const Desk& desk, QWidget* parent = nullptr);
    [[nodiscard]] QString summary() const;
    [[nodiscard]] LayerModel& model() { return *m_model; }
    /// Of an element that is played they become one layer more, of a recorded one its hits strike them.
    void takeSounds(const QStringList& files);
    /// Tests answer instead of the dialog.
    std::function<QStringList()> askForSounds;
    // For tests.
    [[nodiscard]] LayersPicture& picture() { return *m_picture; }
    [[nodiscard]] LiveModel& live() { return *m_live; }
    [[nodiscard]] LiveRow& liveRow() { return *m_liveRow; }
    [[nodiscard]] LoopPanel& loopPanel() { return *m_loop; }
    [[nodiscard]] LayerFields& fields() { return *m_fields; }
    [[nodiscard]] QPushButton& placeButton() { return *m_place; }
    [[nodiscard]] QPushButton& keepPlaceButton() { return *m_keepPlace; }
    [[nodiscard]] QPushButton& tuneButton() { return *m_tune; }
    /// What is proposed for the chosen layer, in words.
    [[nodiscard]] QString proposalText() const;
    [[nodiscard]] StrikeWayRow& wayRow() { return *m_way; }
    [[nodiscard]] QPushButton& addButton() { return *m_add; }
    [[nodiscard]] QPushButton& removeButton() { return *m_remove; }
    [[nodiscard]] QPushButton& ownChainButton() { return *m_ownChain; }
    [[nodiscard]] QPushButton& otherKitButton() { return *m_otherKit; }
    /// Null while no other kit is looked for.
    [[nodiscard]] KitChangeBox* kitBox() const;

  signals:
    void summaryChanged();

  protected:
    void showEvent(QShowEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void hideEvent(QHideEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;

  private:
    void refresh();
    /// In a low window the folded values take the place of what is told.
    void giveWay();
    void addSounds();
    [[nodiscard]] const layers::Layer* chosen() const;

    Desk m_desk;
    LayerModel* m_model;
    QWidget* m_played; ///< of an element that is played
    LayersPicture* m_picture;
    LayerBandsPicture* m_bands;
    LayerStrikesPicture* m_strikes;
    QLabel* m_said;
    LayerFields* m_fields;
    LiveModel* m_live;
    LiveRow* m_liveRow;
    QPushButton* m_place;
    QPushButton* m_keepPlace;
    QPushButton* m_tune;
    QLabel* m_proposal;
    QPushButton* m_add;
    QPushButton* m_remove;
    QPushButton* m_ownChain;
    QPushButton* m_otherKit;
    QPointer<KitChangeBox> m_kitBox;
    QLabel* m_hint;
    StrikeWayRow* m_way; ///< of a recorded element
    LoopPanel* m_loop;   ///< of a recorded element
};

} // namespace cask::app
