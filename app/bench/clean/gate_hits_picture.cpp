#include "app/bench/clean/gate_hits_picture.h"

#include "app/picture/picture_paint.h"
#include "app/theme/theme.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

constexpr double kLowestHitDb = -66;
constexpr double kHitGrabPx = 7;

} // namespace

GateHitsPicture::GateHitsPicture(const Desk& desk, GateModel& gate, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_gate(gate) {
    setAccessibleName(tr("Hits against the thresholds"));
    setToolTip(tr("Drag a threshold, or up and down: half a dB. Click a hit to hear it; L: next lost hit, "
                  "O: next hit of another drum that passes, with Shift back"));
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setMinimumHeight(120);
    connect(&gate, &GateModel::changed, this, qOverload<>(&QWidget::update));
    connect(&gate, &GateModel::hitChosen, this, qOverload<>(&QWidget::update));
}

QRectF GateHitsPicture::plot() const {
    return QRectF(rect()).adjusted(40, 28, -118, -20);
}

DbAxis GateHitsPicture::levels() const {
    return {kLowestHitDb, 0, plot().bottom(), plot().top()};
}

QPointF GateHitsPicture::placeOf(int hit) const {
    const auto* m = m_gate.material();
    const QRectF r = plot();
    const auto i = static_cast<std::size_t>(hit);
    const double share = (m->hits[i].timeS - m->startS) / std::max(0.1, m->endS() - m->startS);
    return {r.left() + 6 + std::clamp(share, 0.0, 1.0) * (r.width() - 12), yOf(m_gate.levelsDb()[i])};
}

GateHitsPicture::Line GateHitsPicture::lineAt(double y) const {
    if (m_gate.module() == nullptr)
        return Line::None;
    const auto s = m_gate.settings();
    const double toOpen = std::abs(y - yOf(s.openDb));
    const double toClose = std::abs(y - yOf(s.closeDb));
    if (std::min(toOpen, toClose) > kHitGrabPx)
        return Line::None;
    return toOpen <= toClose ? Line::Open : Line::Close;
}

int GateHitsPicture::hitAt(QPointF at) const {
    constexpr double kNearPx = 9;
    int best = -1;
    double nearest = kNearPx;
    const auto* m = m_gate.material();
    for (int i = 0; m != nullptr && i < static_cast<int>(m->hits.size()); ++i) {
        const QPointF off = placeOf(i) - at;
        if (const double d = std::hypot(off.x(), off.y()); d < nearest) {
            nearest = d;
            best = i;
        }
    }
    return best;
}

void GateHitsPicture::paintHits(QPainter& p) {
    const Theme& t = theme();
    const auto& hits = m_gate.material()->hits;
    const auto* report = m_gate.module() == nullptr ? nullptr : m_gate.report();
    for (int i = 0; i < static_cast<int>(hits.size()); ++i) {
        const auto& hit = hits[static_cast<std::size_t>(i)];
        const auto* gated = report == nullptr || report->hits.size() != hits.size()
                                ? nullptr
                                : &report->hits[static_cast<std::size_t>(i)];
        const QPointF at = placeOf(i);
        const bool isChosen = i == m_gate.chosenHit();
        if (!hit.isOwn) {
            // Spill: a hollow diamond; filled when it passes.
            const double r = 3.4;
            const QPolygonF diamond{
                {at + QPointF(0, -r), at + QPointF(r, 0), at + QPointF(0, r), at + QPointF(-r, 0)}};
            const bool passes = gated != nullptr && gated->isKept();
            p.setPen(QPen(passes ? t.ember : t.ochre, passes ? 1.6 : 1.1));
            p.setBrush(passes ? QBrush(t.ochre) : QBrush(Qt::NoBrush));
            p.drawPolygon(diamond);
        } else {
            const bool isGhost = hit.hitClass == measure::HitClass::Ghost;
            const double r = hit.hitClass == measure::HitClass::Accent ? 4.4 : isGhost ? 2.8 : 3.6;
            p.setPen(QPen(t.teal, 1.3));
            QColor fill = t.teal;
            fill.setAlpha(hit.hitClass == measure::HitClass::Accent ? 255 : 150);
            p.setBrush(isGhost ? QBrush(t.paper) : QBrush(fill));
            p.drawEllipse(at, r, r);
            if (gated != nullptr && !gated->isKept()) { // lost: struck out
                p.setPen(QPen(t.ember, 2));
                p.drawLine(at + QPointF(-5, -5), at + QPointF(5, 5));
                p.drawLine(at + QPointF(-5, 5), at + QPointF(5, -5));
            }
        }
        if (isChosen) {
            p.setPen(QPen(t.ink, 1.5));
            p.setBrush(Qt::NoBrush);
            p.drawEllipse(at, 8, 8);
        }
    }
}

void GateHitsPicture::paintThresholds(QPainter& p) {
    const Theme& t = theme();
    const QRectF r = plot();
    const auto s = m_gate.settings();
    const double open = yOf(s.openDb);
    const double close = yOf(s.closeDb);
    QColor gap = t.teal;
    gap.setAlpha(28);
    p.fillRect(QRectF(r.left(), open, r.width(), close - open), gap);
    p.setPen(QPen(t.ink, 2));
    p.drawLine(QPointF(r.left(), open), QPointF(r.right() + 6, open));
    p.setPen(QPen(t.slate, 1.5, Qt::DashLine));
    p.drawLine(QPointF(r.left(), close), QPointF(r.right() + 6, close));
    p.setFont(textFont(12, QFont::DemiBold));
    p.setPen(t.ink);
    const double apart = std::max(close, open + 15);
    p.drawText(QRectF(r.right() + 10, open - 8, 108, 16), Qt::AlignLeft | Qt::AlignVCenter,
               tr("opens %1 dB").arg(dbText(s.openDb)));
    p.setFont(textFont(12));
    p.drawText(QRectF(r.right() + 10, apart - 8, 108, 16), Qt::AlignLeft | Qt::AlignVCenter,
               tr("closes %1 dB").arg(dbText(s.closeDb)));
}

void GateHitsPicture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    const QRectF r = plot();
    paintGround(p, rect(), tr("Hits as the detector hears them, dBFS"));
    if (m_gate.material() == nullptr || m_gate.material()->hits.empty()) {
        paintHint(p, r,
                  m_gate.element() == session::kNoId
                      ? tr("Choose an element: buses have no hits of their own.")
                  : m_gate.material() != nullptr ? tr("No hit was found in this microphone.")
                                                 : tr("Still listening to this microphone."));
        return;
    }
    p.setFont(textFont(11));
    for (int db = 0; db >= static_cast<int>(kLowestHitDb); db -= 6) {
        p.setPen(t.line);
        p.drawLine(QPointF(r.left(), yOf(db)), QPointF(r.right(), yOf(db)));
        if (db % 12 == 0) {
            p.setPen(t.faint);
            p.drawText(QRectF(0, yOf(db) - 8, r.left() - 6, 16), Qt::AlignRight | Qt::AlignVCenter,
                       dbText(db, 0));
        }
    }
    const auto& m = *m_gate.material();
    const double stepS = m.endS() - m.startS > 90 ? 30 : m.endS() - m.startS > 30 ? 10 : 5;
    for (double s = std::ceil(m.startS / stepS) * stepS; s < m.endS(); s += stepS) {
        const double x = r.left() + 6 + (s - m.startS) / (m.endS() - m.startS) * (r.width() - 12);
        p.setPen(t.line);
        p.drawLine(QPointF(x, r.bottom()), QPointF(x, r.bottom() + 3));
        p.setPen(t.faint);
        p.drawText(QRectF(x - 30, r.bottom() + 3, 60, 14), Qt::AlignHCenter | Qt::AlignTop,
                   tr("%1 s").arg(s, 0, 'f', 0));
    }
    if (m_gate.module() != nullptr)
        paintThresholds(p);
    paintHits(p);
    // What the marks are.
    p.setFont(textFont(11));
    double x = r.right() - 236;
    const auto legend = [&](const QString& words, double width, auto draw) {
        draw(QPointF(x, 14));
        p.setPen(t.ink);
        p.drawText(QRectF(x + 8, 5, width, 18), Qt::AlignLeft | Qt::AlignVCenter, words);
        x += width + 14;
    };
    legend(tr("own"), 24, [&](QPointF at) {
        p.setPen(Qt::NoPen);
        p.setBrush(t.teal);
        p.drawEllipse(at, 4, 4);
    });
    legend(tr("ghost"), 32, [&](QPointF at) {
        p.setPen(QPen(t.teal, 1.3));
        p.setBrush(t.paper);
        p.drawEllipse(at, 2.8, 2.8);
    });
    legend(tr("spill"), 28, [&](QPointF at) {
        p.setPen(QPen(t.ochre, 1.1));
        p.setBrush(Qt::NoBrush);
        p.drawPolygon(QPolygonF{
            {at + QPointF(0, -3.4), at + QPointF(3.4, 0), at + QPointF(0, 3.4), at + QPointF(-3.4, 0)}});
    });
    legend(tr("passes"), 40, [&](QPointF at) {
        p.setPen(QPen(t.ember, 1.6));
        p.setBrush(t.ochre);
        p.drawPolygon(QPolygonF{
            {at + QPointF(0, -3.4), at + QPointF(3.4, 0), at + QPointF(0, 3.4), at + QPointF(-3.4, 0)}});
    });
    legend(tr("lost"), 26, [&](QPointF at) {
        p.setPen(QPen(t.ember, 2));
        p.drawLine(at + QPointF(-4, -4), at + QPointF(4, 4));
        p.drawLine(at + QPointF(-4, 4), at + QPointF(4, -4));
    });
    if (hasFocus()) {
        p.setPen(QPen(t.ember, 1.5));
        p.setBrush(Qt::NoBrush);
        p.drawRect(QRectF(rect()).adjusted(1, 1, -1, -1));
    }
}

void GateHitsPicture::mousePressEvent(QMouseEvent* event) {
    setFocus();
    m_dragged = lineAt(event->position().y());
    const int hit = hitAt(event->position());
    if (hit >= 0 && m_dragged == Line::None) {
        m_gate.chooseHit(hit);
        emit wantsToHear(hit);
    }
}

void GateHitsPicture::mouseMoveEvent(QMouseEvent* event) {
    const double db = std::round(10 * dbAt(event->position().y())) / 10;
    if (m_dragged == Line::Open)
        m_gate.moveOpening(db, true);
    else if (m_dragged == Line::Close)
        m_gate.edit("close_db", db, true);
    else
        setCursor(lineAt(event->position().y()) == Line::None ? Qt::ArrowCursor : Qt::SizeVerCursor);
}

void GateHitsPicture::mouseReleaseEvent(QMouseEvent*) {
    if (m_dragged != Line::None)
        m_desk.document.endMerge();
    m_dragged = Line::None;
}

void GateHitsPicture::keyPressEvent(QKeyEvent* event) {
    const bool isBack = (event->modifiers() & Qt::ShiftModifier) != 0;
    const auto go = [&](GateModel::Fault fault) {
        const int hit = m_gate.nextFault(fault, isBack ? -1 : 1);
        if (hit < 0)
            return;
        m_gate.chooseHit(hit);
        emit wantsToHear(hit);
    };
    switch (event->key()) {
    case Qt::Key_Up:
    case Qt::Key_Down: {
        const double by = event->key() == Qt::Key_Up ? 0.5 : -0.5;
        if ((event->modifiers() & Qt::AltModifier) != 0)
            m_gate.edit("close_db", m_gate.settings().closeDb + by, true);
        else
            m_gate.moveOpening(m_gate.settings().openDb + by, true);
        break;
    }
    case Qt::Key_L:
        go(GateModel::Fault::Lost);
        break;
    case Qt::Key_O:
        go(GateModel::Fault::LetThrough);
        break;
    case Qt::Key_Return:
    case Qt::Key_Enter:
        if (m_gate.chosenHit() >= 0)
            emit wantsToHear(m_gate.chosenHit());
        break;
    default:
        QWidget::keyPressEvent(event);
    }
}

} // namespace cask::app
