// Drive: what bends the sound of an element or bus, its parallel paths, and how far it can be pushed.
#pragma once

#include "app/bench/module/stage_bench.h"
#include "app/models/drive_model.h"

#include <QWidget>

class QLabel;
class QPushButton;

namespace cask::app {

class CurvePicture;
class DenserRow;
class HarmonicsPicture;
class PathPanel;
class PushPicture;
class WavePicture;

class DriveBench : public QWidget {
    Q_OBJECT

  public:
    explicit DriveBench(const Desk& desk, QWidget* parent = nullptr);
    [[nodiscard]] QString summary() const;
    [[nodiscard]] DriveModel& drive() { return *m_drive; }
    /// What driving did, in words.
    [[nodiscard]] QString changeText() const;
    // For tests.
    [[nodiscard]] StageBench& modules() { return *m_modules; }
    [[nodiscard]] CurvePicture& curve() { return *m_curve; }
    [[nodiscard]] PathPanel& path() { return *m_path; }
    [[nodiscard]] PushPicture& push() { return *m_push; }
    [[nodiscard]] DenserRow& denser() { return *m_denser; }
    [[nodiscard]] QPushButton& pathButton() { return *m_pathButton; }

  signals:
    void summaryChanged();

  protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

  private:
    void refresh();

    Desk m_desk;
    DriveModel* m_drive;
    QWidget* m_pictures;
    CurvePicture* m_curve;
    WavePicture* m_wave;
    HarmonicsPicture* m_harmonics;
    QLabel* m_change;
    PathPanel* m_path;
    PushPicture* m_push;
    DenserRow* m_denser;
    StageBench* m_modules;
    QPushButton* m_pathButton;
};

} // namespace cask::app
