#include "app/bench/layers/loop_picture.h"

#include "app/picture/picture_paint.h"
#include "app/theme/theme.h"

#include <QKeyEvent>
#include <QPainter>
#include <QWheelEvent>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

constexpr int kNamePx = 76;
constexpr int kHeadPx = 24;
constexpr int kFootPx = 20;
constexpr double kLeastSpanS = 0.25;
constexpr double kMostLinePx = 12; // grid lines nearer than this are left out

} // namespace

LoopPicture::LoopPicture(LoopModel& model, QWidget* parent) : QWidget(parent), m_model(model) {
    setAccessibleName(tr("Pieces of the loop"));
    setFocusPolicy(Qt::StrongFocus);
    setMinimumHeight(120);
    setToolTip(tr("A mark is a piece where it is now, its foot where it will be. The wheel and + and - zoom, "
                  "arrow keys move."));
    connect(&model, &LoopModel::changed, this, &LoopPicture::follow);
    follow();
}

QRectF LoopPicture::plot() const {
    return QRectF(rect()).adjusted(kNamePx, kHeadPx, -10, -kFootPx);
}

double LoopPicture::xOf(double timeS) const {
    const QRectF r = plot();
    return r.left() + (timeS - m_fromS) / (m_toS - m_fromS) * r.width();
}

void LoopPicture::follow() {
    setAccessibleDescription(m_model.summary());
    const auto& now = m_model.nowS();
    const double start = now.empty() ? 0 : now.front() - 0.05;
    double end = now.empty() ? 1 : now.back() + 0.25;
    for (const double then : m_model.thenS())
        end = std::max(end, then + 0.25);
    if (start != m_startS || end != m_endS) {
        m_startS = m_fromS = start;
        m_endS = m_toS = end;
    }
    update();
}

void LoopPicture::paintGrid(QPainter& p) const {
    const Theme& t = theme();
    const QRectF r = plot();
    const auto& tempo = m_model.tempo();
    const auto& fit = m_model.fit();
    if (!tempo.isKnown || fit.bpm > 0) { // then its own beats say nothing of where pieces go
        p.setPen(t.faint);
        for (double s = std::ceil(m_fromS); s <= m_toS; s += std::max(1.0, std::ceil((m_toS - m_fromS) / 8)))
            p.drawText(QRectF(xOf(s) - 30, r.bottom() + 2, 60, kFootPx - 2), Qt::AlignCenter,
                       tr("%1 s").arg(s, 0, 'f', 0));
        return;
    }
    const double beatPx = xOf(tempo.timeOf(1)) - xOf(tempo.timeOf(0));
    const int steps = beatPx / fit.stepsPerBeat >= kMostLinePx ? fit.stepsPerBeat : 1;
    const auto first = static_cast<long>(std::floor(tempo.beatAt(m_fromS)));
    const auto last = static_cast<long>(std::ceil(tempo.beatAt(m_toS)));
    long barsApart = 1; // of those that are named
    const double room = p.fontMetrics().horizontalAdvance(tr("bar %1").arg(last / tempo.beatsPerBar + 1)) + 8;
    while (beatPx * static_cast<double>(tempo.beatsPerBar * barsApart) < room)
        barsApart *= 2;
    for (long beat = first; beat <= last; ++beat)
        for (int step = 0; step < steps; ++step) {
            const bool isBetween = step % 2 == 1;
            const double place = (step + (isBetween ? 0.02 * fit.shufflePercent - 1 : 0)) / steps;
            const double x = xOf(tempo.timeOf(static_cast<double>(beat) + (steps == 1 ? 0 : place)));
            if (x < r.left() - 0.5 || x > r.right() + 0.5)
                continue;
            const bool isBar = step == 0 && beat % tempo.beatsPerBar == 0;
            p.setPen(QPen(t.line, isBar ? 1.6 : step == 0 ? 1.0 : 0.5));
            p.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()));
            const long bar = static_cast<long>(
                std::floor(static_cast<double>(beat) / static_cast<double>(tempo.beatsPerBar)));
            if (step == 0 && (isBar ? bar % barsApart == 0 : beatPx > 60)) {
                p.setPen(t.faint);
                p.drawText(QRectF(x - 30, r.bottom() + 2, 60, kFootPx - 2), Qt::AlignCenter,
                           isBar ? tr("bar %1").arg(bar + 1)
                                 : QStringLiteral("%1").arg(beat - bar * tempo.beatsPerBar + 1));
            }
        }
}

void LoopPicture::paintPieces(QPainter& p) const {
    const Theme& t = theme();
    const QRectF r = plot();
    const auto& drums = m_model.drums();
    const double height = r.height() / static_cast<double>(std::max<std::size_t>(1, drums.size()));
    for (std::size_t d = 0; d < drums.size(); ++d) {
        const QRectF row(r.left(), r.top() + static_cast<double>(d) * height, r.width(), height);
        const bool isDropped = m_model.isDropped(drums[d]);
        p.setClipping(false);
        p.setPen(isDropped ? t.faint : t.ink);
        p.drawText(QRectF(6, row.top(), kNamePx - 10, row.height()), Qt::AlignVCenter | Qt::AlignLeft,
                   QFontMetrics(p.font()).elidedText(QString::fromStdString(drums[d]), Qt::ElideRight,
                                                     kNamePx - 12));
        p.setPen(QPen(t.line, 1));
        p.drawLine(row.bottomLeft(), row.bottomRight());
        p.setClipRect(r.adjusted(-4, 0, 4, 1));
        const double top = row.top() + 0.18 * row.height();
        const double knee = row.top() + 0.55 * row.height();
        const double foot = row.bottom() - 2;
        for (std::size_t i = 0; i < m_model.pieces().size(); ++i) {
            const auto& piece = m_model.pieces()[i];
            if (std::find(piece.drums.begin(), piece.drums.end(), drums[d]) == piece.drums.end())
                continue;
            const double now = xOf(m_model.nowS()[i]);
            const double then = xOf(m_model.thenS()[i]);
            QPen pen(isDropped ? t.faint : t.teal, isDropped ? 1 : 2);
            if (isDropped)
                pen.setStyle(Qt::DotLine);
            p.setPen(pen);
            p.drawLine(QPointF(now, top), QPointF(now, knee));
            p.drawLine(QPointF(now, knee), QPointF(then, foot));
            if (!isDropped) {
                p.setBrush(t.teal);
                p.setPen(Qt::NoPen);
                p.drawRect(QRectF(then - 2.5, foot - 4, 5, 4));
            }
        }
    }
    p.setClipping(false);
}

void LoopPicture::paintEvent(QPaintEvent* /*event*/) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    paintGround(p, rect(), tr("Pieces by drum: where they are, and at the foot where they will be"));
    if (m_model.pieces().empty()) {
        paintHint(p, plot(), m_model.problem());
        return;
    }
    p.setFont(textFont(11));
    paintGrid(p);
    p.setFont(textFont(12));
    paintPieces(p);
    if (hasFocus()) {
        p.setPen(QPen(theme().ember, 1));
        p.setBrush(Qt::NoBrush);
        p.drawRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5));
    }
}

void LoopPicture::zoom(double factor, double aroundS) {
    const double whole = m_endS - m_startS;
    const double span = std::clamp((m_toS - m_fromS) * factor, std::min(kLeastSpanS, whole), whole);
    const double share = (aroundS - m_fromS) / (m_toS - m_fromS);
    m_fromS = std::clamp(aroundS - share * span, m_startS, m_endS - span);
    m_toS = m_fromS + span;
    update();
}

void LoopPicture::wheelEvent(QWheelEvent* event) {
    const QRectF r = plot();
    const double at = m_fromS + (event->position().x() - r.left()) / r.width() * (m_toS - m_fromS);
    zoom(std::pow(0.8, event->angleDelta().y() / 120.0), std::clamp(at, m_fromS, m_toS));
    event->accept();
}

void LoopPicture::keyPressEvent(QKeyEvent* event) {
    const double span = m_toS - m_fromS;
    const double middle = m_fromS + 0.5 * span;
    switch (event->key()) {
    case Qt::Key_Plus:
    case Qt::Key_Equal:
        zoom(0.8, middle);
        break;
    case Qt::Key_Minus:
        zoom(1.25, middle);
        break;
    case Qt::Key_Left:
    case Qt::Key_Right: {
        const double by = (event->key() == Qt::Key_Left ? -0.1 : 0.1) * span;
        m_fromS = std::clamp(m_fromS + by, m_startS, m_endS - span);
        m_toS = m_fromS + span;
        update();
        break;
    }
    default:
        QWidget::keyPressEvent(event);
    }
}

} // namespace cask::app
