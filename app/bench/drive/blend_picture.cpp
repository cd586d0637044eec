#include "app/bench/drive/blend_picture.h"

#include "app/bench/drive/drive_plot.h"
#include "app/bench/drive/path_pictures.h"
#include "app/picture/picture_paint.h"
#include "app/theme/theme.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

struct Scale {
    double low = 0, high = 1;
    [[nodiscard]] double share(double value) const { return (value - low) / (high - low); }
};

template <class Of> Scale scaleOf(const std::vector<advise::BlendPoint>& points, const Of& of) {
    Scale scale{-1, 1};
    for (const auto& point : points) {
        scale.low = std::min(scale.low, std::floor(of(point)));
        scale.high = std::max(scale.high, std::ceil(of(point)));
    }
    return scale;
}

advise::BlendPoint between(const std::vector<advise::BlendPoint>& points, double percent) {
    for (std::size_t i = 1; i < points.size(); ++i)
        if (percent <= points[i].percent) {
            const auto& a = points[i - 1];
            const auto& b = points[i];
            const double t = (percent - a.percent) / (b.percent - a.percent);
            return {percent, a.denserDb + t * (b.denserDb - a.denserDb),
                    a.cymbalsDb + t * (b.cymbalsDb - a.cymbalsDb), a.peakDb + t * (b.peakDb - a.peakDb)};
        }
    return points.back();
}

} // namespace

BlendPicture::BlendPicture(const Desk& desk, QWidget* parent) : QWidget(parent), m_desk(desk) {
    setAccessibleName(tr("Density and cymbals over the blend"));
    setToolTip(
        tr("From dry alone to the path alone, at equal loudness: how much denser it gets, and what cymbals "
           "gain on the shells. Drag along the line to set the blend"));
    setMinimumHeight(110);
    connect(&desk.document, &Document::changed, this, qOverload<>(&QWidget::update));
    connect(&desk.findings, &FindingModel::findingsChanged, this, qOverload<>(&QWidget::update));
}

QRectF BlendPicture::plot() const {
    return drivePlot(rect());
}

QPointF BlendPicture::pointOf(double percent) const {
    const auto* path = pathMeasure(m_desk);
    if (path == nullptr || path->blends.size() < 2)
        return {};
    const auto denser = scaleOf(path->blends, [](const auto& b) { return b.denserDb; });
    const auto cymbals = scaleOf(path->blends, [](const auto& b) { return b.cymbalsDb; });
    const auto at = between(path->blends, percent);
    const QRectF r = plot();
    return {r.left() + denser.share(at.denserDb) * r.width(),
            r.bottom() - cymbals.share(at.cymbalsDb) * r.height()};
}

/// Beside a point, in the corner from which the way is farthest.
QRectF BlendPicture::labelPlace(QPointF at, double width) const {
    constexpr double kHeight = 14;
    constexpr double kAway = 5;
    const QRectF r = plot();
    QRectF best;
    double mostRoom = -1;
    for (const double y : {at.y() - kAway - kHeight, at.y() + kAway})
        for (const double x : {at.x() + kAway, at.x() - kAway - width}) {
            const QRectF label(x, y, width, kHeight);
            if (!r.adjusted(-1, -1, 1, 1).contains(label))
                continue;
            double room = 1e9;
            for (double percent = 0; percent <= 100; percent += 2) {
                const QPointF way = pointOf(percent);
                const double dx = std::max({label.left() - way.x(), way.x() - label.right(), 0.0});
                const double dy = std::max({label.top() - way.y(), way.y() - label.bottom(), 0.0});
                room = std::min(room, std::hypot(dx, dy));
            }
            if (room > mostRoom + 0.5) {
                mostRoom = room;
                best = label;
            }
        }
    return best;
}

void BlendPicture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    const QRectF r = plot();
    paintGround(p, rect(), tr("Blend: cymbals over density, dB"));
    const auto* path = pathMeasure(m_desk);
    const auto* bus = chosenPath(m_desk);
    if (path == nullptr || path->blends.size() < 2 || bus == nullptr) {
        paintHint(p, r, tr("Not measured yet."));
        return;
    }
    const auto denser = scaleOf(path->blends, [](const auto& b) { return b.denserDb; });
    const auto cymbals = scaleOf(path->blends, [](const auto& b) { return b.cymbalsDb; });
    p.setFont(textFont(11));
    const auto stepOf = [](const Scale& s) { return std::max(1.0, std::ceil((s.high - s.low) / 5)); };
    for (double db = denser.low; db <= denser.high; db += stepOf(denser)) {
        const double x = r.left() + denser.share(db) * r.width();
        p.setPen(t.line);
        p.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()));
        p.setPen(t.faint);
        p.drawText(QRectF(x - 30, r.bottom() + 3, 60, 14), Qt::AlignHCenter | Qt::AlignTop, dbText(db, 0));
    }
    for (double db = cymbals.low; db <= cymbals.high; db += stepOf(cymbals)) {
        const double y = r.bottom() - cymbals.share(db) * r.height();
        p.setPen(t.line);
        p.drawLine(QPointF(r.left(), y), QPointF(r.right(), y));
        p.setPen(t.faint);
        p.drawText(QRectF(r.left() - 38, y - 8, 34, 16), Qt::AlignRight | Qt::AlignVCenter, dbText(db, 0));
    }
    p.drawText(QRectF(r.left(), r.bottom() + 16, r.width(), 16), Qt::AlignRight | Qt::AlignVCenter,
               tr("denser, dB; cymbals upwards"));
    QPainterPath way;
    for (double percent = 0; percent <= 100; percent += 2) {
        const QPointF at = pointOf(percent);
        percent == 0 ? way.moveTo(at) : way.lineTo(at);
    }
    p.setPen(QPen(t.teal, 2));
    p.drawPath(way);
    for (const double percent : {0.0, 50.0, 100.0}) {
        const QPointF at = pointOf(percent);
        p.setPen(QPen(t.teal, 1.4));
        p.setBrush(t.paper);
        p.drawEllipse(at, 3, 3);
        p.setPen(t.faint);
        const QString text = tr("%1 %").arg(std::lround(percent));
        p.drawText(labelPlace(at, p.fontMetrics().horizontalAdvance(text)), Qt::AlignCenter, text);
    }
    if (path->kneePercent > 0) {
        const QPointF knee = pointOf(path->kneePercent);
        p.setPen(QPen(t.ochre, 1.6));
        p.drawLine(knee - QPointF(0, 9), knee + QPointF(0, 9));
    }
    if (bus->path->isEqualGain) {
        const QPointF now = pointOf(bus->path->blendPercent);
        p.setPen(QPen(t.ink, 1.6));
        p.setBrush(m_isDragged ? t.ember : t.paper);
        p.drawRect(QRectF(now.x() - 4, now.y() - 4, 8, 8));
    }
}

void BlendPicture::drag(QPointF at) {
    const auto* path = pathMeasure(m_desk);
    if (path == nullptr || path->blends.size() < 2)
        return;
    double best = 0;
    double nearest = 1e9;
    for (double percent = 0; percent <= 100; percent += 1) {
        const QPointF point = pointOf(percent);
        const double away = std::hypot(point.x() - at.x(), point.y() - at.y());
        if (away < nearest) {
            nearest = away;
            best = percent;
        }
    }
    emit wantsBlend(best, true);
}

void BlendPicture::mousePressEvent(QMouseEvent* event) {
    m_isDragged = true;
    drag(event->position());
}

void BlendPicture::mouseMoveEvent(QMouseEvent* event) {
    if (m_isDragged)
        drag(event->position());
}

void BlendPicture::mouseReleaseEvent(QMouseEvent*) {
    m_isDragged = false;
    m_desk.document.endMerge();
    update();
}

} // namespace cask::app
