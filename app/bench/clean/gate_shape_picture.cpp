#include "app/bench/clean/gate_shape_picture.h"

#include "app/picture/picture_paint.h"
#include "app/theme/theme.h"
#include "core/session/kinds.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

namespace cask::app {
namespace {

constexpr double kLowestGainDb = -48;
constexpr double kMostLiftDb = 6;
constexpr double kLowestShapeDb = -66;
constexpr double kShapeGrabPx = 10;
constexpr double kStepsPerMs = 2; // of the gain

struct HandleField {
    GateShapePicture::Handle handle;
    const char* field;
    const char* words;
};
constexpr std::array<HandleField, 5> kShapeHandles = {{
    {GateShapePicture::Handle::LookAhead, "look_ahead_ms",
     QT_TRANSLATE_NOOP("GateShapePicture", "look-ahead")},
    {GateShapePicture::Handle::Attack, "attack_ms", QT_TRANSLATE_NOOP("GateShapePicture", "attack")},
    {GateShapePicture::Handle::Hold, "hold_ms", QT_TRANSLATE_NOOP("GateShapePicture", "hold")},
    {GateShapePicture::Handle::Release, "release_ms", QT_TRANSLATE_NOOP("GateShapePicture", "release")},
    {GateShapePicture::Handle::Floor, "floor_db", QT_TRANSLATE_NOOP("GateShapePicture", "floor")},
}};

} // namespace

GateShapePicture::GateShapePicture(const Desk& desk, GateModel& gate, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_gate(gate) {
    setAccessibleName(tr("Average hit and gain"));
    setToolTip(tr("Drag the handles of the gain: look-ahead, attack, hold, release, floor"));
    setMouseTracking(true);
    setMinimumHeight(110);
    connect(&gate, &GateModel::changed, this, qOverload<>(&QWidget::update));
}

QRectF GateShapePicture::plot() const {
    return QRectF(rect()).adjusted(36, 28, -40, -20);
}

MsAxis GateShapePicture::times() const {
    return {plot(), -GateModel::kBeforeMs, GateModel::kAfterMs};
}

/// Room for an open gate that lifts a little.
DbAxis GateShapePicture::gains() const {
    const QRectF r = plot();
    const double perDb = (r.height() - 12) / -kLowestGainDb;
    return {kLowestGainDb, kMostLiftDb, r.bottom() - 4, r.top() + 8 - kMostLiftDb * perDb};
}

DbAxis GateShapePicture::levels() const {
    return {kLowestShapeDb, 0, plot().bottom(), plot().top()};
}

GateShapePicture::Shape GateShapePicture::shape() const {
    Shape s;
    const auto& gain = m_gate.gainDb();
    if (m_gate.module() == nullptr || gain.empty())
        return s;
    const auto [low, high] = std::minmax_element(gain.begin(), gain.end());
    if (*high - *low < 0.5F)
        return s;
    const auto at = [&](std::size_t i) {
        return static_cast<double>(i) / kStepsPerMs - GateModel::kBeforeMs;
    };
    const float top = *high - 0.1F;
    // Around the loudest place of the gain that the hit's own onset is in.
    std::size_t full = static_cast<std::size_t>(GateModel::kBeforeMs * kStepsPerMs);
    while (full < gain.size() && gain[full] < top)
        ++full;
    if (full == gain.size())
        return s;
    while (full > 0 && gain[full - 1] >= top)
        --full;
    std::size_t start = full;
    while (start > 0 && gain[start - 1] < gain[start] - 0.01F)
        --start;
    std::size_t fall = full;
    while (fall + 1 < gain.size() && gain[fall + 1] >= top)
        ++fall;
    std::size_t closed = fall;
    while (closed + 1 < gain.size() && gain[closed + 1] < gain[closed] - 0.005F)
        ++closed;
    return {true, at(start), at(full), at(fall), at(closed)};
}

QPointF GateShapePicture::handleAt(Handle handle) const {
    const Shape s = shape();
    if (!s.isKnown)
        return {};
    const auto g = m_gate.settings();
    const double top = gains().yOf(g.isInverted ? g.floorDb : g.liftDb);
    const double bottom = gains().yOf(g.isInverted ? g.liftDb : g.floorDb);
    switch (handle) {
    case Handle::LookAhead:
        return {xOf(s.startMs), bottom};
    case Handle::Attack:
        return {xOf(s.fullMs), top};
    case Handle::Hold:
        return {xOf(s.fallMs), top};
    case Handle::Release:
        return {xOf(s.closedMs), bottom};
    case Handle::Floor:
        return {xOf(GateModel::kAfterMs - 8), gains().yOf(g.floorDb)};
    case Handle::None:
        break;
    }
    return {};
}

void GateShapePicture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    const QRectF r = plot();
    paintGround(p, rect(), tr("Average own hit, and the gain over it"));
    const auto& average = m_gate.averageDb();
    if (average.empty()) {
        paintHint(p, r,
                  m_gate.material() == nullptr ? tr("Not measured yet.") : tr("No own hits to average."));
        return;
    }
    times().paint(p);
    gains().paintAtRight(p, r.right(), kLowestGainDb, 0, 12);
    levels().paintAtLeft(p, r.left(), 12);
    // The sound as a filled area, and what the gate leaves of it as a line.
    QPainterPath sound(QPointF(xOf(-GateModel::kBeforeMs), r.bottom()));
    QPainterPath left;
    const auto& gain = m_gate.gainDb();
    for (std::size_t i = 0; i < average.size(); ++i) {
        const double x = xOf(static_cast<double>(i) - GateModel::kBeforeMs + 0.5);
        sound.lineTo(x, levels().yOf(average[i]));
        if (m_gate.module() != nullptr && gain.size() >= 2 * average.size()) {
            const QPointF at(x, levels().yOf(average[i] + gain[2 * i]));
            i == 0 ? left.moveTo(at) : left.lineTo(at);
        }
    }
    sound.lineTo(xOf(GateModel::kAfterMs), r.bottom());
    p.fillPath(sound, t.tealSoft);
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(t.teal, 1.6));
    p.drawPath(left);
    if (m_gate.module() == nullptr)
        return;
    QPainterPath curve;
    for (std::size_t i = 0; i < gain.size(); ++i) {
        const QPointF at(xOf(static_cast<double>(i) / kStepsPerMs - GateModel::kBeforeMs),
                         gains().yOf(gain[i]));
        i == 0 ? curve.moveTo(at) : curve.lineTo(at);
    }
    p.setPen(QPen(t.ink, 2));
    p.drawPath(curve);
    p.setFont(textFont(11));
    std::vector<QRectF> written;
    for (const auto& h : kShapeHandles) {
        const QPointF at = handleAt(h.handle);
        if (at.isNull())
            continue;
        p.setPen(QPen(t.ink, 1.5));
        p.setBrush(h.handle == m_dragged ? t.ember : t.paper);
        p.drawRect(QRectF(at.x() - 4, at.y() - 4, 8, 8));
        p.setPen(t.ink);
        // The floor writes before its handle, the others behind; each at a height of its own.
        const double dy = h.handle == Handle::LookAhead ? 11 : h.handle == Handle::Hold ? 11 : -10;
        const bool isBefore = h.handle == Handle::Floor;
        const QRectF box(isBefore ? at.x() - 74 : at.x() + 7, at.y() + dy - 8, 70, 16);
        const auto flags = (isBefore ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter;
        const QRectF words = p.boundingRect(box, flags, tr(h.words));
        if (std::any_of(written.begin(), written.end(), [&](const QRectF& o) { return o.intersects(words); }))
            continue; // no room for all: the tool tip names the handles
        written.push_back(words);
        QColor ground = t.paper; // the sound may lie behind
        ground.setAlpha(210);
        p.fillRect(words.adjusted(-2, 0, 2, 0), ground);
        p.drawText(box, flags, tr(h.words));
    }
}

void GateShapePicture::mousePressEvent(QMouseEvent* event) {
    m_dragged = Handle::None;
    double nearest = kShapeGrabPx;
    for (const auto& h : kShapeHandles) {
        const QPointF at = handleAt(h.handle);
        const QPointF off = at - event->position();
        if (const double d = std::hypot(off.x(), off.y()); !at.isNull() && d <= nearest) {
            nearest = d;
            m_dragged = h.handle;
            m_fromValue =
                session::field(session::fieldsOf<dsp::GateSettings>(), h.field).get(m_gate.settings());
        }
    }
    m_from = m_dragged == Handle::Floor ? event->position().y() : event->position().x();
    update();
}

void GateShapePicture::mouseMoveEvent(QMouseEvent* event) {
    if (m_dragged == Handle::None) {
        bool isNear = false;
        for (const auto& h : kShapeHandles) {
            const QPointF at = handleAt(h.handle);
            isNear = isNear || (!at.isNull() && std::hypot(at.x() - event->position().x(),
                                                           at.y() - event->position().y()) < kShapeGrabPx);
        }
        setCursor(isNear ? Qt::PointingHandCursor : Qt::ArrowCursor);
        return;
    }
    const double ms = (event->position().x() - m_from) * times().msPerPixel();
    for (const auto& h : kShapeHandles) {
        if (h.handle != m_dragged)
            continue;
        double value = m_fromValue;
        if (m_dragged == Handle::Floor)
            value += (event->position().y() - m_from) / (plot().height() - 12) * kLowestGainDb;
        else
            value += m_dragged == Handle::LookAhead ? -ms : ms;
        m_gate.edit(h.field, std::round(10 * value) / 10, true);
    }
}

void GateShapePicture::mouseReleaseEvent(QMouseEvent*) {
    if (m_dragged != Handle::None)
        m_desk.document.endMerge();
    m_dragged = Handle::None;
    update();
}

} // namespace cask::app
