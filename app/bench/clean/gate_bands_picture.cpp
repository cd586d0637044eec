#include "app/bench/clean/gate_bands_picture.h"

#include "app/picture/picture_paint.h"
#include "app/theme/theme.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <array>
#include <cmath>

namespace cask::app {
namespace {

constexpr double kLowestHz = 40;
constexpr double kHighestHz = 20000;
constexpr double kLowestBandDb = -84;
constexpr double kBandGrabPx = 7;

} // namespace

GateBandsPicture::GateBandsPicture(const Desk& desk, GateModel& gate, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_gate(gate) {
    setAccessibleName(tr("Own hits against spill over frequency"));
    setToolTip(
        tr("The softest own hits against the loudest of other drums; drag the detector's corners to where "
           "own hits stand out most"));
    setMouseTracking(true);
    setMinimumHeight(110);
    connect(&gate, &GateModel::changed, this, qOverload<>(&QWidget::update));
}

QRectF GateBandsPicture::plot() const {
    return QRectF(rect()).adjusted(36, 28, -10, -34);
}

double GateBandsPicture::xOf(double hz) const {
    const QRectF r = plot();
    return r.left() + std::log(std::clamp(hz, kLowestHz, kHighestHz) / kLowestHz) /
                          std::log(kHighestHz / kLowestHz) * r.width();
}

double GateBandsPicture::hzAt(double x) const {
    const QRectF r = plot();
    return kLowestHz * std::pow(kHighestHz / kLowestHz, std::clamp((x - r.left()) / r.width(), 0.0, 1.0));
}

void GateBandsPicture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    const QRectF r = plot();
    paintGround(p, rect(), tr("Own against spill, dBFS"));
    const auto& bands = m_gate.bands();
    if (bands.empty()) {
        paintHint(p, r,
                  m_gate.material() == nullptr ? tr("Not measured yet.")
                                               : tr("Too few hits of its own or of others to compare."));
        return;
    }
    const auto yOf = [&](double db) {
        return r.bottom() -
               (std::clamp(db, kLowestBandDb, 0.0) - kLowestBandDb) / -kLowestBandDb * r.height();
    };
    p.setFont(textFont(11));
    for (int db = 0; db >= static_cast<int>(kLowestBandDb); db -= 24) {
        p.setPen(t.line);
        p.drawLine(QPointF(r.left(), yOf(db)), QPointF(r.right(), yOf(db)));
        p.setPen(t.faint);
        p.drawText(QRectF(0, yOf(db) - 8, r.left() - 4, 16), Qt::AlignRight | Qt::AlignVCenter,
                   dbText(db, 0));
    }
    for (const double hz : {50.0, 200.0, 1000.0, 5000.0}) {
        p.setPen(t.line);
        p.drawLine(QPointF(xOf(hz), r.bottom()), QPointF(xOf(hz), r.bottom() + 3));
        p.setPen(t.faint);
        p.drawText(QRectF(xOf(hz) - 30, r.bottom() + 16, 60, 14), Qt::AlignHCenter | Qt::AlignTop,
                   hzText(hz));
    }
    // Own line, spill line; between them, in numbers, by how much they are parted.
    QPainterPath own;
    QPainterPath spill;
    for (std::size_t i = 0; i < bands.size(); ++i) {
        const QPointF a(xOf(bands[i].hz), yOf(bands[i].ownDb));
        const QPointF b(xOf(bands[i].hz), yOf(bands[i].spillDb));
        i == 0 ? own.moveTo(a) : own.lineTo(a);
        i == 0 ? spill.moveTo(b) : spill.lineTo(b);
        QColor fill = bands[i].partedDb() > 0 ? t.teal : t.ochre;
        fill.setAlpha(60);
        p.setPen(QPen(fill, std::max(2.0, r.width() / static_cast<double>(bands.size()) - 3)));
        p.drawLine(a, b);
    }
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(t.teal, 2));
    p.drawPath(own);
    p.setPen(QPen(t.ochre, 1.6, Qt::DashLine));
    p.drawPath(spill);
    p.setFont(textFont(11));
    // As many numbers as have room.
    const auto every =
        static_cast<std::size_t>(std::ceil(30.0 * static_cast<double>(bands.size()) / r.width()));
    for (std::size_t i = 0; i < bands.size(); i += every) {
        const double db = bands[i].partedDb();
        p.setPen(db > 0 ? t.teal : t.faint);
        p.drawText(QRectF(xOf(bands[i].hz) - 16, r.bottom() + 3, 32, 14), Qt::AlignHCenter | Qt::AlignTop,
                   (db > 0 ? QStringLiteral("+") : QString()) + dbText(db, 0));
    }
    p.setPen(t.teal);
    p.drawText(QRectF(r.right() - 90, 5, 40, 18), Qt::AlignRight | Qt::AlignVCenter, tr("own"));
    p.setPen(t.ochre);
    p.drawText(QRectF(r.right() - 42, 5, 42, 18), Qt::AlignRight | Qt::AlignVCenter, tr("spill"));
    if (m_gate.module() == nullptr)
        return;
    const auto s = m_gate.settings();
    QColor veil = t.paper;
    veil.setAlpha(190);
    const double low = xOf(s.lowCutHz);
    const double high = xOf(s.highCutHz);
    p.fillRect(QRectF(r.left(), r.top(), low - r.left(), r.height()), veil);
    p.fillRect(QRectF(high, r.top(), r.right() - high, r.height()), veil);
    for (const double x : {low, high}) {
        p.setPen(QPen(t.ink, 2));
        p.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()));
        p.setBrush(t.paper);
        p.drawRect(QRectF(x - 4, r.top() - 4, 8, 8));
    }
    if (s.reach != dsp::GateReach::All) { // what the gain acts on, as a bracket along the top
        const double from = s.reach == dsp::GateReach::Below ? r.left() : xOf(s.fromHz);
        const double to = s.reach == dsp::GateReach::Above ? r.right() : xOf(s.toHz);
        p.setPen(QPen(t.ember, 3));
        p.drawLine(QPointF(from, r.bottom() - 2), QPointF(to, r.bottom() - 2));
        p.setPen(t.ember);
        p.drawText(QRectF(from, r.bottom() - 20, std::max(60.0, to - from), 16),
                   Qt::AlignHCenter | Qt::AlignVCenter, tr("acts here"));
    }
}

const char* GateBandsPicture::cornerAt(double x) const {
    if (m_gate.module() == nullptr)
        return nullptr;
    const auto s = m_gate.settings();
    const double low = std::abs(x - xOf(s.lowCutHz));
    const double high = std::abs(x - xOf(s.highCutHz));
    if (std::min(low, high) > kBandGrabPx)
        return nullptr;
    return low <= high ? "low_cut_hz" : "high_cut_hz";
}

void GateBandsPicture::mousePressEvent(QMouseEvent* event) {
    m_dragged = cornerAt(event->position().x());
}

void GateBandsPicture::mouseMoveEvent(QMouseEvent* event) {
    if (m_dragged == nullptr) {
        setCursor(cornerAt(event->position().x()) == nullptr ? Qt::ArrowCursor : Qt::SizeHorCursor);
        return;
    }
    double hz = hzAt(event->position().x());
    // At the edges the cut is off.
    if (hz <= 1.05 * kLowestHz)
        hz = 10;
    m_gate.edit(m_dragged, hz, true);
}

void GateBandsPicture::mouseReleaseEvent(QMouseEvent*) {
    if (m_dragged != nullptr)
        m_desk.document.endMerge();
    m_dragged = nullptr;
}

} // namespace cask::app
