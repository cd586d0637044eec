#include "app/bench/punch/level_curve_picture.h"

#include "app/picture/handles.h"
#include "app/picture/picture_paint.h"
#include "app/theme/theme.h"
#include "core/base/units.h"
#include "core/dsp/compressor.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <array>
#include <cmath>

namespace cask::app {
namespace {

constexpr double kLowestCurveDb = -60;
constexpr double kHighestDb = 6;
constexpr std::array kCurveHandles = {LevelCurvePicture::Handle::Threshold, LevelCurvePicture::Handle::Ratio};

} // namespace

LevelCurvePicture::LevelCurvePicture(const Desk& desk, PunchModel& punch, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_punch(punch) {
    setAccessibleName(tr("Level of every hit before and after"));
    setToolTip(tr("Drag the threshold sideways, and the ratio by the end of the curve. A mark is a hit: "
                  "where it comes in, and how strong it leaves"));
    setMouseTracking(true);
    setMinimumHeight(160);
    connect(&punch, &PunchModel::changed, this, qOverload<>(&QWidget::update));
}

QRectF LevelCurvePicture::plot() const {
    return QRectF(rect()).adjusted(36, 28, -12, -36);
}

double LevelCurvePicture::xOf(double db) const {
    const QRectF r = plot();
    return r.left() + (std::clamp(db, kLowestCurveDb, kHighestDb) - kLowestCurveDb) /
                          (kHighestDb - kLowestCurveDb) * r.width();
}

DbAxis LevelCurvePicture::leavingLevels() const {
    return {kLowestCurveDb, kHighestDb, plot().bottom(), plot().top()};
}

double LevelCurvePicture::leaving(double db) const {
    const auto s = m_punch.settings();
    const double wet = dbToLinear(dsp::compressorGainDb(s, db) + s.makeupDb);
    return db + linearToDb(std::max(1e-6, 1 + s.mixPercent / 100 * (wet - 1)));
}

QPointF LevelCurvePicture::handleAt(Handle handle) const {
    if (m_punch.module() == nullptr)
        return {};
    const auto s = m_punch.settings();
    const double at = handle == Handle::Threshold                   ? s.thresholdDb
                      : s.direction == dsp::CompressorDirection::Up ? kLowestCurveDb
                                                                    : 0;
    return {xOf(at), yOf(leaving(at))};
}

void LevelCurvePicture::paintHits(QPainter& p) const {
    const Theme& t = theme();
    const auto* c = m_punch.compression();
    if (c == nullptr)
        return;
    p.setPen(Qt::NoPen);
    QColor soft = t.teal;
    soft.setAlpha(130);
    p.setBrush(soft);
    for (const auto& hit : c->hits) {
        const double after = m_punch.module() == nullptr ? hit.levelDb : hit.levelDb + hit.keptDb();
        p.drawEllipse(QPointF(xOf(hit.levelDb), yOf(after)), 2.6, 2.6);
    }
}

void LevelCurvePicture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    const QRectF r = plot();
    paintGround(p, rect(), tr("Level of every hit, before and after"));
    p.setFont(textFont(11));
    for (int db = static_cast<int>(kLowestCurveDb); db <= 0; db += 12) {
        p.setPen(t.line);
        p.drawLine(QPointF(xOf(db), r.top()), QPointF(xOf(db), r.bottom()));
        p.drawLine(QPointF(r.left(), yOf(db)), QPointF(r.right(), yOf(db)));
        p.setPen(t.faint);
        p.drawText(QRectF(xOf(db) - 30, r.bottom() + 3, 60, 14), Qt::AlignHCenter | Qt::AlignTop,
                   dbText(db, 0));
    }
    leavingLevels().paintAtLeft(p, r.left(), 12);
    p.drawText(QRectF(r.left(), r.bottom() + 17, r.width(), 16), Qt::AlignRight | Qt::AlignVCenter,
               tr("level of the detector, dBFS"));
    p.setPen(QPen(t.faint, 1, Qt::DashLine));
    p.drawLine(QPointF(xOf(kLowestCurveDb), yOf(kLowestCurveDb)), QPointF(xOf(kHighestDb), yOf(kHighestDb)));
    paintHits(p);
    if (m_punch.compression() == nullptr)
        paintHint(p, r.adjusted(0, 0.7 * r.height(), 0, 0), tr("Not measured yet.")); // beside the curve
    if (m_punch.module() == nullptr)
        return;
    p.setPen(QPen(t.line, 1.4));
    const double threshold = xOf(m_punch.settings().thresholdDb);
    p.drawLine(QPointF(threshold, r.top()), QPointF(threshold, r.bottom()));
    QPainterPath curve;
    for (double db = kLowestCurveDb; db <= kHighestDb; db += 0.25) {
        const QPointF at(xOf(db), yOf(leaving(db)));
        db == kLowestCurveDb ? curve.moveTo(at) : curve.lineTo(at);
    }
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(m_punch.module()->isOn ? t.ink : t.faint, 2));
    p.drawPath(curve);
    for (const auto handle : kCurveHandles) {
        const QPointF at = handleAt(handle);
        paintHandle(p, at, handle == m_dragged);
        p.setPen(t.ink);
        // The threshold writes over the curve, the ratio under it.
        const bool isThreshold = handle == Handle::Threshold;
        p.drawText(QRectF(at.x() - 84, at.y() + (isThreshold ? -22 : 7), 78, 16),
                   Qt::AlignRight | Qt::AlignVCenter, isThreshold ? tr("threshold") : tr("ratio"));
    }
}

LevelCurvePicture::Handle LevelCurvePicture::handleNear(QPointF at) const {
    const auto place = [this](Handle handle) { return handleAt(handle); };
    Handle found = nearestHandle(kCurveHandles, at, place);
    // The threshold is held anywhere along its line.
    if (found == Handle::None && m_punch.module() != nullptr && plot().contains(at) &&
        std::abs(at.x() - xOf(m_punch.settings().thresholdDb)) < kHandleReachPx / 2)
        found = Handle::Threshold;
    return found;
}

void LevelCurvePicture::mousePressEvent(QMouseEvent* event) {
    m_dragged = handleNear(event->position());
    update();
}

void LevelCurvePicture::mouseMoveEvent(QMouseEvent* event) {
    if (m_dragged == Handle::None) {
        setCursor(handleNear(event->position()) == Handle::None ? Qt::ArrowCursor : Qt::PointingHandCursor);
        return;
    }
    const QRectF r = plot();
    const auto s = m_punch.settings();
    if (m_dragged == Handle::Threshold) {
        const double db =
            kLowestCurveDb + (event->position().x() - r.left()) / r.width() * (kHighestDb - kLowestCurveDb);
        m_punch.edit("threshold_db", std::round(2 * db) / 2, true);
        return;
    }
    // The gain at the end of the curve, without make-up, gives the ratio.
    const double out =
        kLowestCurveDb + (r.bottom() - event->position().y()) / r.height() * (kHighestDb - kLowestCurveDb);
    const bool isUp = s.direction == dsp::CompressorDirection::Up;
    const double end = isUp ? kLowestCurveDb : 0;
    const double past = std::max(1.0, std::abs(end - s.thresholdDb));
    const double change = out - end - s.makeupDb;
    double ratio = 0;
    if (s.direction == dsp::CompressorDirection::Expand)
        ratio = 1 + std::max(0.0, change) / past;
    else
        ratio = 1 / std::max(1 / dsp::kInfiniteRatio, 1 - std::max(0.0, isUp ? change : -change) / past);
    m_punch.edit("ratio", ratio < 10 ? std::round(10 * ratio) / 10 : std::round(ratio), true);
}

void LevelCurvePicture::mouseReleaseEvent(QMouseEvent*) {
    if (m_dragged != Handle::None)
        m_desk.document.endMerge();
    m_dragged = Handle::None;
    update();
}

} // namespace cask::app
