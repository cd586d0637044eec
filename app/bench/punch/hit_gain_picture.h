// The average hit before and after a compressor, and the gain over it.
#pragma once

#include "app/models/desk.h"
#include "app/models/punch_model.h"

#include <QWidget>

namespace cask::app {

class HitGainPicture : public QWidget {
    Q_OBJECT

  public:
    HitGainPicture(const Desk& desk, PunchModel& punch, QWidget* parent = nullptr);
    [[nodiscard]] double xOf(double ms) const;
    /// Of the gain, on the scale at the right.
    [[nodiscard]] double yOfGain(double db) const;
    /// Middle of the times from one own hit to the next, ms; nothing without two hits.
    [[nodiscard]] std::optional<double> toNextMs() const;

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    [[nodiscard]] QRectF plot() const;
    [[nodiscard]] double yOfLevel(double db) const;
    /// Lowest and highest gain of the scale, dB.
    [[nodiscard]] std::pair<double, double> gainScale() const;
    void paintScales(QPainter& p) const;
    void paintNextHit(QPainter& p) const;

    Desk m_desk;
    PunchModel& m_punch;
};

} // namespace cask::app
