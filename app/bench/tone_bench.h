// Tone: moves on the element's own spectrum, each with its values.
#pragma once

#include "app/bench/tone_picture.h"
#include "app/document/desk.h"

#include <QWidget>

#include <core/session/parameters.h>
#include <vector>

class QCheckBox;
class QLabel;
class QPushButton;

namespace cask::app {

class ChoiceRow;
class ValueBar;

class ToneBench : public QWidget {
    Q_OBJECT

  public:
    explicit ToneBench(const Desk& desk, QWidget* parent = nullptr);
    [[nodiscard]] QString summary() const;
    [[nodiscard]] TonePicture& picture() { return *m_picture; }
    [[nodiscard]] ValueBar* bar(const QString& id) const;
    [[nodiscard]] ChoiceRow& kinds() { return *m_kinds; }
    /// What of a stereo sound the chosen move acts on; not there for a mono one.
    [[nodiscard]] ChoiceRow& parts() { return *m_parts; }
    [[nodiscard]] QPushButton* addButton(dsp::FilterKind kind) const;
    [[nodiscard]] QPushButton* hearButton() const { return m_hear; }

  private:
    void refresh();
    void editField(const session::Field<dsp::EqBand>& field, double value, bool isDragging);
    void hear(bool on);

    Desk m_desk;
    TonePicture* m_picture;
    std::vector<std::pair<dsp::FilterKind, QPushButton*>> m_add;
    ChoiceRow* m_kinds;
    QLabel* m_partTitle;
    ChoiceRow* m_parts;
    QCheckBox* m_on;
    std::vector<std::pair<const session::Field<dsp::EqBand>*, ValueBar*>> m_bars;
    QPushButton* m_hear;
    QPushButton* m_remove;
};

} // namespace cask::app
