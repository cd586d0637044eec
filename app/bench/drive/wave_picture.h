// One hit before and after, as loud as each other.
#pragma once

#include "app/models/drive_model.h"

#include <QWidget>

namespace cask::app {

class WavePicture : public QWidget {
    Q_OBJECT

  public:
    explicit WavePicture(DriveModel& drive, QWidget* parent = nullptr);

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    DriveModel& m_drive;
};

/// Harmonics of the drum's note by order, before and after; where it has none, thirds of an octave at equal
/// loudness.
class HarmonicsPicture : public QWidget {
    Q_OBJECT

  public:
    explicit HarmonicsPicture(DriveModel& drive, QWidget* parent = nullptr);

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    void paintHarmonics(QPainter& p, const QRectF& r) const;
    void paintThirds(QPainter& p, const QRectF& r) const;
    DriveModel& m_drive;
};

} // namespace cask::app
