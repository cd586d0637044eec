// The monitor in the head line: its level, dim, mono, swapped sides, and what the mix measures.
#pragma once

#include "app/models/desk.h"

#include <QWidget>

class QLabel;
class QPushButton;

namespace cask::app {

class ValueBar;

class MonitorRow : public QWidget {
    Q_OBJECT

  public:
    explicit MonitorRow(const Desk& desk, QWidget* parent = nullptr);

    [[nodiscard]] ValueBar& level() const { return *m_level; }
    [[nodiscard]] QPushButton& dim() const { return *m_dim; }
    [[nodiscard]] QPushButton& mono() const { return *m_mono; }
    [[nodiscard]] QPushButton& swap() const { return *m_swap; }
    /// The held true peak; a click clears it.
    [[nodiscard]] QPushButton& peak() const { return *m_peak; }
    [[nodiscard]] QString loudnessText() const;
    [[nodiscard]] QString correlationText() const;

  private:
    void refresh();
    void showMeters();
    QPushButton* addSwitch(const QString& words, const QString& help, bool engine::MonitorSettings::*flag);

    Desk m_desk;
    ValueBar* m_level;
    QPushButton* m_dim;
    QPushButton* m_mono;
    QPushButton* m_swap;
    QLabel* m_loudness;
    QLabel* m_correlation;
    QPushButton* m_peak;
};

} // namespace cask::app
