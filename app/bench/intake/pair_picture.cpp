#include "app/bench/intake/pair_picture.h"

#include "app/theme/theme.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

constexpr double kTopPairDb = 4;
constexpr double kLowestPairDb = -18; // of the lower picture
constexpr double kKeyStepMs = 0.05;
constexpr double kBeforeMs = 2;

QString msText(double ms) {
    return QObject::tr("%1 ms").arg(dbText(ms, 2));
}

} // namespace

PairPicture::PairPicture(Document& document, PairModel& pair, QWidget* parent)
    : QWidget(parent), m_document(document), m_pair(pair) {
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setMinimumHeight(220);
    setAccessibleName(tr("Two microphones over each other"));
    setToolTip(
        tr("Drag sideways to move the chosen microphone; left and right: 0.05 ms, with Shift one sample"));
    setCursor(Qt::SizeHorCursor);
    connect(&pair, &PairModel::portraitChanged, this, qOverload<>(&QWidget::update));
    connect(&document, &Document::changed, this, qOverload<>(&QWidget::update));
}

QRectF PairPicture::wavePlot() const {
    const QRectF r = QRectF(rect()).adjusted(14, 30, -14, -22);
    return {r.left(), r.top(), r.width(), r.height() * 0.5 - 14};
}

QRectF PairPicture::sumPlot() const {
    const QRectF r = QRectF(rect()).adjusted(58, 30, -14, -22);
    const double top = r.top() + r.height() * 0.5 + 36;
    return {r.left(), top, r.width(), r.bottom() - top};
}

double PairPicture::bottomDb() const {
    double least = -6;
    if (const auto* portrait = m_pair.portrait())
        for (const auto* curve : {&portrait->lowSumDb, &portrait->lowSumFlippedDb})
            for (const double db : *curve)
                least = std::min(least, db - 1);
    return std::max(kLowestPairDb, least);
}

double PairPicture::yOfSum(double db) const {
    const QRectF r = sumPlot();
    const double bottom = bottomDb();
    return r.top() + (kTopPairDb - std::clamp(db, bottom, kTopPairDb)) / (kTopPairDb - bottom) * r.height();
}

double PairPicture::shiftMs() const {
    const auto* e = m_document.session().element(m_pair.moving());
    return e == nullptr ? 0 : e->input.shiftMs;
}

double PairPicture::baseShiftMs() const {
    return shiftMs() - m_pair.movedMs();
}

double PairPicture::xOfShift(double shift) const {
    const auto* portrait = m_pair.portrait();
    const QRectF r = sumPlot();
    if (portrait == nullptr || portrait->lowSumDb.empty())
        return r.center().x();
    const double reach = -portrait->leastShiftMs;
    return r.left() + (shift - baseShiftMs() + reach) / (2 * reach) * r.width();
}

double PairPicture::shiftOfX(double x) const {
    const auto* portrait = m_pair.portrait();
    const QRectF r = sumPlot();
    if (portrait == nullptr || portrait->lowSumDb.empty())
        return shiftMs();
    const double reach = -portrait->leastShiftMs;
    return baseShiftMs() - reach + (x - r.left()) / r.width() * 2 * reach;
}

double PairPicture::waveMs() const {
    const auto* portrait = m_pair.portrait();
    return portrait == nullptr ? 20 : -2 * portrait->leastShiftMs;
}

QString PairPicture::nameOf(Id id) const {
    return QString::fromStdString(m_document.session().nameOf(id));
}

void PairPicture::paintWaves(QPainter& p) const {
    const Theme& t = theme();
    const auto& portrait = *m_pair.portrait();
    const QRectF r = wavePlot();
    const double msPx = r.width() / waveMs();
    const auto xOf = [&](double ms) { return r.left() + (ms + kBeforeMs) * msPx; };
    p.setFont(textFont(11));
    const double step = waveMs() > 24 ? 5 : 2;
    for (double ms = std::ceil(-kBeforeMs / step) * step; ms < waveMs() - kBeforeMs; ms += step) {
        p.setPen(QPen(t.line, 1, Qt::DotLine));
        p.drawLine(QPointF(xOf(ms), r.top()), QPointF(xOf(ms), r.bottom()));
        p.setPen(t.faint);
        p.drawText(QRectF(xOf(ms) - 30, r.bottom() + 2, 60, 14), Qt::AlignCenter,
                   ms == 0 ? tr("hit") : tr("%1 ms").arg(dbText(ms, 0)));
    }
    p.setPen(QPen(t.line, 1));
    p.drawLine(QPointF(r.left(), r.center().y()), QPointF(r.right(), r.center().y()));
    const auto draw = [&](const std::vector<float>& wave, double movedMs, double sign, const QPen& pen) {
        float peak = 1e-9F;
        for (const float x : wave)
            peak = std::max(peak, std::abs(x));
        QPainterPath path;
        bool isFirst = true;
        for (std::size_t n = 0; n < wave.size(); ++n) {
            const double ms =
                portrait.startMs + movedMs + 1000 * static_cast<double>(n) / portrait.sampleRateHz;
            if (ms < -kBeforeMs || ms > waveMs() - kBeforeMs)
                continue;
            const QPointF at(xOf(ms),
                             r.center().y() - sign * static_cast<double>(wave[n] / peak) * r.height() * 0.48);
            if (isFirst)
                path.moveTo(at);
            else
                path.lineTo(at);
            isFirst = false;
        }
        p.setPen(pen);
        p.setBrush(Qt::NoBrush);
        p.drawPath(path);
    };
    p.setRenderHint(QPainter::Antialiasing);
    p.setClipRect(r);
    draw(portrait.first, 0, 1, QPen(t.slate, 1.4, Qt::DashLine));
    draw(portrait.second, m_pair.movedMs(), m_pair.isTurned() ? -1 : 1, QPen(t.teal, 1.8));
    p.setClipping(false);
    p.setRenderHint(QPainter::Antialiasing, false);
    // Legend: line style and name.
    const auto legend = [&](double x, const QPen& pen, const QString& words) {
        p.setPen(pen);
        p.drawLine(QPointF(x, 15), QPointF(x + 24, 15));
        p.setPen(t.ink);
        p.setFont(textFont(12));
        p.drawText(QPointF(x + 30, 19), words);
        return x + 30 + p.fontMetrics().horizontalAdvance(words) + 24;
    };
    const double next = legend(r.left(), QPen(t.teal, 2.2), tr("%1, moves").arg(nameOf(m_pair.moving())));
    const double after =
        legend(next, QPen(t.slate, 1.6, Qt::DashLine), tr("%1, stays").arg(nameOf(m_pair.still())));
    p.setPen(t.faint);
    p.drawText(QRectF(after, 4, r.right() - after, 20), Qt::AlignRight | Qt::AlignVCenter,
               tr("mean of %1 hits, each to its own peak").arg(portrait.hits));
}

void PairPicture::paintCurve(QPainter& p, bool isTurned) const {
    const Theme& t = theme();
    const auto& portrait = *m_pair.portrait();
    const QRectF r = sumPlot();
    const auto& curve = isTurned ? portrait.lowSumFlippedDb : portrait.lowSumDb;
    QPainterPath path;
    for (std::size_t i = 0; i < curve.size(); ++i) {
        const double x =
            r.left() + static_cast<double>(i) / static_cast<double>(curve.size() - 1) * r.width();
        const double y = yOfSum(curve[i]);
        if (i == 0)
            path.moveTo(x, y);
        else
            path.lineTo(x, y);
    }
    const bool isNow = isTurned == m_pair.isTurned();
    p.setPen(isNow ? QPen(t.teal, 2) : QPen(t.faint, 1, Qt::DotLine));
    p.setBrush(Qt::NoBrush);
    p.drawPath(path);
}

void PairPicture::paintSum(QPainter& p) const {
    const Theme& t = theme();
    const QRectF r = sumPlot();
    const auto yOf = [&](double db) { return yOfSum(db); };
    p.setFont(textFont(11));
    for (const double db : {3.0, 0.0, -3.0, -6.0, -12.0}) {
        if (db < bottomDb())
            continue;
        p.setPen(QPen(t.line, 1, db == 0 ? Qt::SolidLine : Qt::DotLine));
        p.drawLine(QPointF(r.left(), yOf(db)), QPointF(r.right(), yOf(db)));
        p.setPen(t.faint);
        p.drawText(QRectF(0, yOf(db) - 8, r.left() - 6, 16), Qt::AlignRight | Qt::AlignVCenter,
                   db == 0 ? tr("0 dB") : dbText(db, 0));
    }
    const double reach = -m_pair.portrait()->leastShiftMs;
    const double step = reach > 10 ? 5 : 2;
    for (double ms = std::ceil((baseShiftMs() - reach) / step) * step; ms <= baseShiftMs() + reach;
         ms += step) {
        p.setPen(QPen(t.line, 1));
        p.drawLine(QPointF(xOfShift(ms), r.bottom()), QPointF(xOfShift(ms), r.bottom() + 4));
        p.setPen(t.faint);
        p.drawText(QRectF(xOfShift(ms) - 30, r.bottom() + 5, 60, 14), Qt::AlignCenter,
                   tr("%1 ms").arg(dbText(ms, 0)));
    }
    p.setRenderHint(QPainter::Antialiasing);
    p.setClipRect(r.adjusted(-1, -1, 1, 1));
    paintCurve(p, !m_pair.isTurned());
    paintCurve(p, m_pair.isTurned());
    p.setClipping(false);
    // Where the sound arrives at once: a short mark from below.
    if (const auto together = m_pair.together()) {
        const double x = xOfShift(together->shiftMs);
        if (x >= r.left() && x <= r.right()) {
            p.setPen(QPen(t.slate, 2));
            p.drawLine(QPointF(x, r.bottom()), QPointF(x, r.bottom() - 14));
            p.setFont(textFont(11));
            p.setPen(t.ink);
            p.drawText(QPointF(x + 5, r.bottom() - 4), tr("in time"));
        }
    }
    // Where it is now: a line with a head to be taken hold of.
    const double x = std::clamp(xOfShift(shiftMs()), r.left(), r.right());
    const double now = m_pair.lowSumDb();
    p.setPen(QPen(t.ember, 2));
    p.drawLine(QPointF(x, r.top() - 6), QPointF(x, r.bottom()));
    p.setBrush(t.ember);
    p.setPen(Qt::NoPen);
    p.drawEllipse(QPointF(x, yOf(now)), 4, 4);
    p.setRenderHint(QPainter::Antialiasing, false);
    p.setFont(textFont(12, QFont::DemiBold));
    p.setPen(t.ink);
    const QRectF title(14, r.top() - 28, rect().width() - 28, 18);
    p.drawText(title, Qt::AlignLeft | Qt::AlignVCenter,
               tr("Sum from %1 to %2 Hz: %3 dB at %4")
                   .arg(std::lround(m_pair.portrait()->low.fromHz))
                   .arg(std::lround(m_pair.portrait()->low.toHz))
                   .arg(dbText(now), msText(shiftMs())));
    p.setFont(textFont(12));
    p.setPen(t.faint);
    QString right = tr("over the shift; dotted: inverted. 0 dB: as if they had nothing in common");
    if (m_drag == Drag::None && m_pointerX >= r.left() && m_pointerX <= r.right()) {
        const double shift = shiftOfX(m_pointerX);
        right = tr("at %1: %2 dB, inverted %3 dB")
                    .arg(msText(shift),
                         dbText(m_pair.portrait()->lowSumAtDb(shift - baseShiftMs(), m_pair.isTurned())),
                         dbText(m_pair.portrait()->lowSumAtDb(shift - baseShiftMs(), !m_pair.isTurned())));
        p.save();
        p.setPen(QPen(t.faint, 1, Qt::DotLine));
        p.drawLine(QPointF(m_pointerX, r.top()), QPointF(m_pointerX, r.bottom()));
        p.restore();
    }
    p.drawText(title, Qt::AlignRight | Qt::AlignVCenter, right);
}

void PairPicture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.fillRect(rect(), theme().paper);
    const auto* portrait = m_pair.portrait();
    if (portrait != nullptr && portrait->hits > 0) {
        paintWaves(p);
        paintSum(p);
    } else {
        p.setFont(textFont(13));
        p.setPen(theme().faint);
        p.drawText(rect(), Qt::AlignCenter,
                   portrait == nullptr ? tr("Still being measured.")
                                       : tr("No hit of this drum stands alone: there is nothing to go by."));
    }
    if (hasFocus()) {
        p.setPen(theme().teal);
        p.drawRect(rect().adjusted(0, 0, -1, -1));
    }
}

void PairPicture::mousePressEvent(QMouseEvent* event) {
    if (m_pair.portrait() == nullptr || event->button() != Qt::LeftButton)
        return;
    m_pressX = event->position().x();
    m_pressShiftMs = shiftMs();
    m_drag = event->position().y() > sumPlot().top() - 30 ? Drag::Sum : Drag::Wave;
    if (m_drag == Drag::Sum)
        m_pair.setShift(shiftOfX(m_pressX), true);
}

void PairPicture::mouseMoveEvent(QMouseEvent* event) {
    const double x = event->position().x();
    if (m_drag == Drag::Sum)
        m_pair.setShift(shiftOfX(x), true);
    else if (m_drag == Drag::Wave)
        m_pair.setShift(m_pressShiftMs + (x - m_pressX) / wavePlot().width() * waveMs(), true);
    m_pointerX = event->position().y() > sumPlot().top() - 30 ? x : -1;
    update();
}

void PairPicture::mouseReleaseEvent(QMouseEvent*) {
    if (m_drag != Drag::None)
        m_document.endMerge();
    m_drag = Drag::None;
    update();
}

void PairPicture::leaveEvent(QEvent*) {
    m_pointerX = -1;
    update();
}

void PairPicture::keyPressEvent(QKeyEvent* event) {
    const int direction = event->key() == Qt::Key_Left ? -1 : event->key() == Qt::Key_Right ? 1 : 0;
    if (direction != 0) {
        const bool isFine = event->modifiers().testFlag(Qt::ShiftModifier);
        m_pair.setShift(
            shiftMs() + direction * (isFine ? 1000 / m_document.session().sampleRateHz : kKeyStepMs), true);
        return;
    }
    if (event->key() == Qt::Key_F && event->modifiers() == Qt::NoModifier) {
        if (const auto* e = m_document.session().element(m_pair.moving()))
            m_pair.setInverted(!e->input.isInverted);
        return;
    }
    QWidget::keyPressEvent(event);
}

} // namespace cask::app
