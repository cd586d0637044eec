#include "app/bench/drive/curve_picture.h"

#include "app/bench/drive/drive_plot.h"
#include "app/picture/picture_paint.h"
#include "app/theme/theme.h"
#include "core/base/units.h"
#include "core/dsp/drive_curve.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

/// What is dragged, and by how much for each pixel to the right.
struct Dragged {
    const char* field;
    double perPixel;
    double least, most;
};

Dragged draggedOf(const measure::DriveSettings& settings) {
    if (std::holds_alternative<dsp::ClipperSettings>(settings))
        return {"ceiling_db", 0.1, -40, 0};
    if (std::holds_alternative<dsp::CrushSettings>(settings))
        return {"bits", 0.08, 1, dsp::CrushSettings::kMostBits};
    return {"drive_db", 0.1, 0, 36};
}

double valueOf(const measure::DriveSettings& settings) {
    if (const auto* clipper = std::get_if<dsp::ClipperSettings>(&settings))
        return clipper->ceilingDb;
    if (const auto* crush = std::get_if<dsp::CrushSettings>(&settings))
        return crush->bits;
    if (const auto* body = std::get_if<dsp::BodySettings>(&settings))
        return body->driveDb;
    return std::get<dsp::SaturationSettings>(settings).driveDb;
}

} // namespace

CurvePicture::CurvePicture(Document& document, DriveModel& drive, QWidget* parent)
    : QWidget(parent), m_document(document), m_drive(drive) {
    setAccessibleName(tr("Curve, with the peaks of the hits"));
    setToolTip(
        tr("Drag sideways: the drive of a saturation or resonator, the ceiling of a clipper, the bits of a "
           "crush. Marks on the line are peaks of real hits"));
    setMinimumHeight(110);
    setCursor(Qt::SizeHorCursor);
    connect(&drive, &DriveModel::changed, this, qOverload<>(&QWidget::update));
}

QRectF CurvePicture::plot() const {
    return drivePlot(rect());
}

double CurvePicture::most() const {
    double loudest = 0.25;
    for (const double peak : m_drive.hitPeaks())
        loudest = std::max(loudest, peak);
    return std::min(1.2, 1.15 * loudest);
}

QPointF CurvePicture::pointOf(double in, double out) const {
    const QRectF r = plot();
    const double m = most();
    return {r.left() + (in + m) / (2 * m) * r.width(), r.bottom() - (out + m) / (2 * m) * r.height()};
}

void CurvePicture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    const QRectF r = plot();
    paintGround(p, rect(), tr("Curve"));
    const auto settings = m_drive.settings();
    if (!settings) {
        paintHint(p, r, tr("Nothing is driven here yet."));
        return;
    }
    p.setFont(textFont(11));
    const double m = most();
    for (const double db : {-24.0, -12.0, -6.0, 0.0}) {
        const double x = dbToLinear(db);
        if (x > m)
            continue;
        for (const double side : {-1.0, 1.0}) {
            p.setPen(t.line);
            p.drawLine(QPointF(pointOf(side * x, 0).x(), r.top()),
                       QPointF(pointOf(side * x, 0).x(), r.bottom()));
            p.drawLine(QPointF(r.left(), pointOf(0, side * x).y()),
                       QPointF(r.right(), pointOf(0, side * x).y()));
        }
        p.setPen(t.faint);
        if (db >= -12) {
            p.drawText(QRectF(pointOf(x, 0).x() - 30, r.bottom() + 3, 60, 14),
                       Qt::AlignHCenter | Qt::AlignTop, dbText(db, 0));
            p.drawText(QRectF(r.left() - 38, pointOf(0, x).y() - 8, 34, 16),
                       Qt::AlignRight | Qt::AlignVCenter, dbText(db, 0));
        }
    }
    p.drawText(QRectF(r.left(), r.bottom() + 16, r.width(), 16), Qt::AlignRight | Qt::AlignVCenter,
               std::holds_alternative<dsp::BodySettings>(*settings) ? tr("resonance in, out upwards")
                                                                    : tr("dBFS in, out upwards"));
    p.setPen(QPen(t.faint, 1, Qt::DashLine));
    p.drawLine(pointOf(-m, -m), pointOf(m, m));
    const auto bent = [&](double x) {
        return std::visit([x](const auto& s) { return dsp::driveCurve(s, x); }, *settings);
    };
    p.setClipRect(r.adjusted(-1, -1, 1, 1));
    QPainterPath curve;
    constexpr int kSteps = 400;
    for (int i = 0; i <= kSteps; ++i) {
        const double x = m * (2.0 * i / kSteps - 1);
        const QPointF at = pointOf(x, bent(x));
        i == 0 ? curve.moveTo(at) : curve.lineTo(at);
    }
    const bool isOn = m_drive.module() != nullptr && m_drive.module()->isOn;
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(isOn ? t.ink : t.faint, 2));
    p.drawPath(curve);
    QColor mark = t.teal;
    mark.setAlpha(150);
    p.setPen(QPen(mark, 1.4));
    for (const double peak : m_drive.hitPeaks())
        for (const double side : {-1.0, 1.0}) {
            const QPointF at = pointOf(side * peak, bent(side * peak));
            p.drawLine(at - QPointF(0, 6), at + QPointF(0, 6));
        }
}

void CurvePicture::mousePressEvent(QMouseEvent* event) {
    const auto settings = m_drive.settings();
    m_isDragged = settings.has_value();
    m_fromX = event->position().x();
    m_fromValue = settings ? valueOf(*settings) : 0;
}

void CurvePicture::mouseMoveEvent(QMouseEvent* event) {
    const auto settings = m_drive.settings();
    if (!m_isDragged || !settings)
        return;
    const auto dragged = draggedOf(*settings);
    const double to = m_fromValue + dragged.perPixel * (event->position().x() - m_fromX);
    m_drive.edit(dragged.field, std::round(2 * std::clamp(to, dragged.least, dragged.most)) / 2, true);
}

void CurvePicture::mouseReleaseEvent(QMouseEvent*) {
    if (m_isDragged)
        m_document.endMerge();
    m_isDragged = false;
}

} // namespace cask::app
