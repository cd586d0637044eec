// The bench: one picture per stage in which the measurement is the control.
#pragma once

#include "app/models/desk.h"

#include <QWidget>

class QLabel;
class QStackedWidget;

namespace cask::app {

class ElidedLabel;
class IntakeBench;
class BalanceBench;
class HitsBench;
class CleanBench;
class ToneBench;
class PunchBench;
class DriveBench;
class LayersBench;

class Bench : public QWidget {
    Q_OBJECT

  public:
    explicit Bench(const Desk& desk, QWidget* parent = nullptr);
    [[nodiscard]] IntakeBench& intake() { return *m_intake; }
    [[nodiscard]] HitsBench& hits() { return *m_hits; }
    [[nodiscard]] BalanceBench& balance() { return *m_balance; }
    [[nodiscard]] CleanBench& clean() { return *m_clean; }
    [[nodiscard]] ToneBench& tone() { return *m_tone; }
    [[nodiscard]] PunchBench& punch() { return *m_punch; }
    [[nodiscard]] DriveBench& drive() { return *m_drive; }
    [[nodiscard]] LayersBench& layers() { return *m_layers; }

  signals:
    /// The empty bench offers ways to begin.
    void wantsImport();
    void wantsOpen();
    void wantsDemo();

  private:
    void refresh();
    [[nodiscard]] QWidget* makeEmpty();

    Desk m_desk;
    QLabel* m_title;
    ElidedLabel* m_summary;
    QStackedWidget* m_stack;
    IntakeBench* m_intake;
    HitsBench* m_hits;
    BalanceBench* m_balance;
    CleanBench* m_clean;
    ToneBench* m_tone;
    PunchBench* m_punch;
    DriveBench* m_drive;
    LayersBench* m_layers;
    QWidget* m_empty;
};

} // namespace cask::app
