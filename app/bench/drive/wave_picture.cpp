#include "app/bench/drive/wave_picture.h"

#include "app/bench/drive/drive_plot.h"
#include "app/picture/db_axis.h"
#include "app/picture/hz_axis.h"
#include "app/picture/picture_paint.h"
#include "app/theme/theme.h"
#include "core/measure/tone/partials.h"

#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

constexpr double kLowestHarmonicDb = -72;
constexpr double kMostThirdDb = 12;

} // namespace

WavePicture::WavePicture(DriveModel& drive, QWidget* parent) : QWidget(parent), m_drive(drive) {
    setAccessibleName(tr("The middle hit before and after"));
    setToolTip(
        tr("The hit whose level is the middle one: as it comes (line) and as it leaves, made as loud as "
           "before (filled)"));
    setMinimumHeight(110);
    connect(&drive, &DriveModel::changed, this, qOverload<>(&QWidget::update));
}

void WavePicture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    const QRectF r = drivePlot(rect());
    const auto* change = m_drive.change();
    paintGround(p, rect(), tr("The middle hit, at equal loudness"));
    const auto& wave = m_drive.wave();
    if (change == nullptr || wave.before.empty()) {
        if (m_drive.settings())
            paintHint(p, r, change == nullptr ? tr("Not measured yet.") : tr("No hits."));
        return;
    }
    double most = 1e-4;
    for (const auto* side : {&wave.before, &wave.after})
        for (const float x : *side)
            most = std::max(most, std::abs(static_cast<double>(x)));
    const double spanMs = DriveModel::Wave::kBeforeMs + DriveModel::Wave::kAfterMs;
    const auto xOf = [&](double ms) {
        return r.left() + (ms + DriveModel::Wave::kBeforeMs) / spanMs * r.width();
    };
    const auto yOf = [&](double v) { return r.center().y() - v / most * 0.5 * r.height(); };
    p.setFont(textFont(11));
    for (int ms = 0; ms <= 120; ms += 20) {
        p.setPen(t.line);
        p.drawLine(QPointF(xOf(ms), r.top()), QPointF(xOf(ms), r.bottom()));
        p.setPen(t.faint);
        if (ms % 40 == 0)
            p.drawText(QRectF(std::min(xOf(ms) - 30, r.right() + 8 - 60), r.bottom() + 3, 60, 14),
                       (ms == 120 ? Qt::AlignRight : Qt::AlignHCenter) | Qt::AlignTop, tr("%1 ms").arg(ms));
    }
    p.setPen(t.line);
    p.drawLine(QPointF(r.left(), yOf(0)), QPointF(r.right(), yOf(0)));
    // Each column from the least to the greatest value that falls into it.
    const auto columns = static_cast<int>(r.width());
    const auto perColumn = static_cast<double>(wave.before.size()) / std::max(1, columns);
    const auto rangeOf = [&](const std::vector<float>& x, int column) {
        const auto from = static_cast<std::size_t>(column * perColumn);
        const auto to =
            std::min(x.size(), std::max(from + 1, static_cast<std::size_t>((column + 1) * perColumn)));
        const auto [low, high] =
            std::minmax_element(x.begin() + static_cast<std::ptrdiff_t>(std::min(from, x.size() - 1)),
                                x.begin() + static_cast<std::ptrdiff_t>(to));
        return std::pair(static_cast<double>(*low), static_cast<double>(*high));
    };
    p.setPen(QPen(t.tealSoft, 1));
    for (int c = 0; c < columns; ++c) {
        const auto [low, high] = rangeOf(wave.after, c);
        p.drawLine(QPointF(r.left() + c + 0.5, yOf(std::max(high, 0.0))),
                   QPointF(r.left() + c + 0.5, yOf(std::min(low, 0.0))));
    }
    for (const bool isAfter : {true, false}) {
        QPainterPath top;
        QPainterPath bottom;
        for (int c = 0; c < columns; ++c) {
            const auto [low, high] = rangeOf(isAfter ? wave.after : wave.before, c);
            const QPointF a(r.left() + c + 0.5, yOf(high));
            const QPointF b(r.left() + c + 0.5, yOf(low));
            c == 0 ? top.moveTo(a) : top.lineTo(a);
            c == 0 ? bottom.moveTo(b) : bottom.lineTo(b);
        }
        p.setPen(QPen(isAfter ? t.teal : t.ochre, isAfter ? 1.2 : 1.4));
        p.drawPath(top);
        p.drawPath(bottom);
    }
    p.setPen(t.faint);
    p.drawText(QRectF(r.left(), r.bottom() + 16, r.width(), 16), Qt::AlignRight | Qt::AlignVCenter,
               tr("line before, filled after (%1 dB)")
                   .arg((change->shapes.matchDb >= 0 ? QStringLiteral("+") : QString()) +
                        dbText(change->shapes.matchDb)));
}

HarmonicsPicture::HarmonicsPicture(DriveModel& drive, QWidget* parent) : QWidget(parent), m_drive(drive) {
    setAccessibleName(tr("Harmonics before and after"));
    setToolTip(
        tr("Harmonics of the drum's note by order, against the note: before (line) and after (filled). "
           "Where it has no clear note, what each third of an octave gains or loses at equal loudness"));
    setMinimumHeight(110);
    connect(&drive, &DriveModel::changed, this, qOverload<>(&QWidget::update));
}

void HarmonicsPicture::paintHarmonics(QPainter& p, const QRectF& r) const {
    const Theme& t = theme();
    const auto& harmonics = m_drive.change()->harmonics;
    const DbAxis axis{kLowestHarmonicDb, 0, r.bottom(), r.top()};
    axis.paintAtLeft(p, r.left(), 24);
    const double width = r.width() / static_cast<double>(harmonics.size());
    p.setFont(textFont(11));
    for (std::size_t i = 0; i < harmonics.size(); ++i) {
        const double left = r.left() + static_cast<double>(i) * width;
        const QRectF bar(left + 0.18 * width, axis.yOf(harmonics[i].afterDb), 0.64 * width,
                         r.bottom() - axis.yOf(harmonics[i].afterDb));
        p.fillRect(bar, t.tealSoft);
        p.setPen(QPen(t.teal, 1.2));
        p.drawLine(bar.topLeft(), bar.topRight());
        p.setPen(QPen(t.ochre, 2));
        const double before = axis.yOf(harmonics[i].beforeDb);
        p.drawLine(QPointF(left + 0.08 * width, before), QPointF(left + 0.92 * width, before));
        p.setPen(t.faint);
        if (i % 2 == 0)
            p.drawText(QRectF(left, r.bottom() + 3, width, 14), Qt::AlignHCenter | Qt::AlignTop,
                       QString::number(harmonics[i].order));
    }
    p.drawText(QRectF(r.left(), r.bottom() + 16, r.width(), 16), Qt::AlignRight | Qt::AlignVCenter,
               tr("order, dB against %1").arg(hzText(m_drive.noteHz())));
}

void HarmonicsPicture::paintThirds(QPainter& p, const QRectF& r) const {
    const Theme& t = theme();
    const HzAxis hz{r};
    hz.paint(p);
    const DbAxis axis{-kMostThirdDb, kMostThirdDb, r.bottom(), r.top()};
    axis.paintAtLeft(p, r.left(), 6);
    const double zero = axis.yOf(0);
    for (const auto& third : m_drive.change()->thirds) {
        const double left = hz.xOf(third.hz * std::exp2(-1.0 / 7));
        const double right = hz.xOf(third.hz * std::exp2(1.0 / 7));
        const double y = axis.yOf(third.db);
        p.fillRect(QRectF(left, std::min(y, zero), right - left, std::abs(y - zero)), t.tealSoft);
        p.setPen(QPen(t.teal, 1.2));
        p.drawLine(QPointF(left, y), QPointF(right, y));
    }
    p.setPen(t.faint);
    p.drawLine(QPointF(r.left(), zero), QPointF(r.right(), zero));
}

void HarmonicsPicture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const QRectF r = drivePlot(rect());
    const auto* change = m_drive.change();
    const bool hasNote = change != nullptr && !change->harmonics.empty();
    paintGround(p, rect(),
                hasNote || change == nullptr ? tr("Harmonics, before and after")
                                             : tr("Change by thirds of an octave, dB"));
    if (change == nullptr) {
        if (m_drive.settings())
            paintHint(p, r, tr("Not measured yet."));
        return;
    }
    hasNote ? paintHarmonics(p, r) : paintThirds(p, r);
}

} // namespace cask::app
