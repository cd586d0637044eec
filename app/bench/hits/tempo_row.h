// Tempo and bars: as they are found, or typed, or tapped.
#pragma once

#include "app/models/desk.h"

#include <QElapsedTimer>
#include <QWidget>

#include <functional>
#include <vector>

class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;

namespace cask::app {

class TempoRow : public QWidget {
    Q_OBJECT

  public:
    explicit TempoRow(const Desk& desk, QWidget* parent = nullptr);

    /// One tap on the beat. From the fourth on the mean of those in a row is the tempo; after two seconds of
    /// rest a new row begins.
    void tap();
    /// The first bar begins at the chosen hit, else at the playhead.
    void beginBarHere();
    [[nodiscard]] QLineEdit& field() const { return *m_tempo; }
    [[nodiscard]] QComboBox& beats() const { return *m_beats; }
    [[nodiscard]] QPushButton& barButton() const { return *m_bar; }
    /// Milliseconds; tests give their own.
    std::function<qint64()> clockMs;

  private:
    void refresh();
    void take();

    Desk m_desk;
    QLineEdit* m_tempo;
    QComboBox* m_beats;
    QPushButton* m_tap;
    QPushButton* m_bar;
    QLabel* m_facts;
    QElapsedTimer m_clock;
    std::vector<qint64> m_taps;
};

} // namespace cask::app
