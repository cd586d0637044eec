// The average hit before and after a compressor, and the gain over it.
#pragma once

#include "app/models/desk.h"
#include "app/models/punch_model.h"
#include "app/picture/db_axis.h"
#include "app/picture/ms_axis.h"

#include <QWidget>

namespace cask::app {

class HitGainPicture : public QWidget {
    Q_OBJECT

  public:
    HitGainPicture(const Desk& desk, PunchModel& punch, QWidget* parent = nullptr);
    [[nodiscard]] double xOf(double ms) const { return times().xOf(ms); }
    /// Of the gain, on the scale at the right.
    [[nodiscard]] double yOfGain(double db) const { return gains().yOf(db); }
    /// Middle of the times from one own hit to the next, ms; nothing without two hits.
    [[nodiscard]] std::optional<double> toNextMs() const;

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    [[nodiscard]] QRectF plot() const;
    [[nodiscard]] MsAxis times() const;
    /// The upper half.
    [[nodiscard]] DbAxis gains() const;
    [[nodiscard]] DbAxis levels() const;
    /// Lowest and highest gain of the scale, dB.
    [[nodiscard]] std::pair<double, double> gainScale() const;
    void paintScales(QPainter& p) const;
    void paintNextHit(QPainter& p) const;

    Desk m_desk;
    PunchModel& m_punch;
};

} // namespace cask::app
