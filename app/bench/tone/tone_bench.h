// Tone: moves on the element's own hits, each with its values; the low end, the body, their order; how the
// hits die away; and the whole kit by band.
#pragma once

#include "app/bench/tone/tone_picture.h"
#include "app/models/desk.h"

#include <QWidget>

#include <array>
#include <core/session/parameters.h>
#include <vector>

class QCheckBox;
class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;
class QStackedWidget;

namespace cask::app {

class ChainOrderRow;
class ChoiceRow;
class DecayPicture;
class KitTonePicture;
class LowShelfRow;
class SectionBox;
class ValueBar;

/// The kinds of moves in the order in which they are offered.
inline constexpr std::array kToneKinds = {dsp::FilterKind::HighPass, dsp::FilterKind::LowShelf,
                                          dsp::FilterKind::Bell,     dsp::FilterKind::HighShelf,
                                          dsp::FilterKind::LowPass,  dsp::FilterKind::Notch,
                                          dsp::FilterKind::BandPass, dsp::FilterKind::Tilt};

class ToneBench : public QWidget {
    Q_OBJECT

  public:
    enum class View { Spectrum, Attack, Tail, Decay, Kit };
    /// What is set below the picture.
    enum class Part { Repair, Colour, LowEnd };

    explicit ToneBench(const Desk& desk, QWidget* parent = nullptr);
    [[nodiscard]] QString summary() const;
    void showView(View view);
    void showPart(Part part);
    /// The equaliser that is set here.
    [[nodiscard]] EqModel& eq() { return m_eq; }
    [[nodiscard]] TonePicture& picture() { return *m_picture; }
    [[nodiscard]] DecayPicture& decayPicture() { return *m_decay; }
    [[nodiscard]] KitTonePicture& kitPicture() { return *m_kit; }
    [[nodiscard]] ValueBar* bar(const QString& id) const;
    [[nodiscard]] ValueBar* amountBar() const { return m_amount; }
    [[nodiscard]] ChoiceRow& views() { return *m_views; }
    [[nodiscard]] ChoiceRow& partsOfChain() { return *m_chainParts; }
    [[nodiscard]] QComboBox& kinds() { return *m_kinds; }
    [[nodiscard]] SectionBox& sections() { return *m_section; }
    /// What of a stereo sound the chosen move acts on; not there for a mono one.
    [[nodiscard]] ChoiceRow& parts() { return *m_parts; }
    [[nodiscard]] ChoiceRow& dynamics() { return *m_dynamics; }
    [[nodiscard]] QComboBox& keys() { return *m_key; }
    [[nodiscard]] QLineEdit& line() { return *m_line; }
    [[nodiscard]] LowShelfRow& lowEnd() { return *m_lowEnd; }
    [[nodiscard]] ChainOrderRow& order() { return *m_order; }
    [[nodiscard]] QPushButton* addButton(dsp::FilterKind kind) const;
    [[nodiscard]] QPushButton* hearButton() const { return m_hear; }
    /// How often the level of own hits and spill moves the chosen dynamic band.
    [[nodiscard]] QString movesText() const;

  signals:
    void summaryChanged();

  protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

  private:
    using BandField = session::Field<dsp::EqBand>;
    [[nodiscard]] QWidget* makeHead();
    [[nodiscard]] QWidget* makeMoves();
    [[nodiscard]] QWidget* makeDynamics();
    void connectAll();
    void refresh();
    void refreshDynamics();
    void refreshKeys();
    void editField(const BandField& field, double value, bool isDragging);
    void setKey(int index);
    void takeLine();
    void hear(bool on);

    Desk m_desk;
    EqModel m_eq;
    ChoiceRow* m_views;
    ChoiceRow* m_chainParts;
    QLineEdit* m_line;
    QStackedWidget* m_pictures;
    TonePicture* m_picture;
    DecayPicture* m_decay;
    KitTonePicture* m_kit;
    QStackedWidget* m_rows;
    LowShelfRow* m_lowEnd;
    ChainOrderRow* m_order;
    std::vector<std::pair<dsp::FilterKind, QPushButton*>> m_add;
    QComboBox* m_kinds;
    QLabel* m_partTitle;
    ChoiceRow* m_parts;
    QCheckBox* m_on;
    std::vector<std::pair<const BandField*, ValueBar*>> m_bars; ///< of the chosen move
    ValueBar* m_amount;
    ChoiceRow* m_dynamics;
    QCheckBox* m_keyed;
    QComboBox* m_key;
    QLabel* m_moves;
    QWidget* m_detailRow; ///< of a band that moves, or of a stereo sound
    QWidget* m_dynamicBars;
    SectionBox* m_section;
    QPushButton* m_hear;
    QPushButton* m_remove;
};

} // namespace cask::app
