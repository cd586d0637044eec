#include "app/bench/intake/intake_picture.h"

#include "app/theme/theme.h"

#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace cask::app {

IntakePicture::IntakePicture(const Desk& desk, QWidget* parent) : QWidget(parent), m_desk(desk) {
    setMouseTracking(true);
    setMinimumHeight(150);
    setAccessibleName(tr("Picture of the file over time"));
    setToolTip(tr("Click to play from there"));
    for (const auto signal : {&Document::selectionChanged, &Document::changed, &Document::opened})
        connect(&desk.document, signal, this, qOverload<>(&QWidget::update));
    connect(&desk.analyst, &Analyst::fileChanged, this, qOverload<>(&QWidget::update));
    connect(&desk.playback, &Playback::tick, this, qOverload<>(&QWidget::update));
}

QRectF IntakePicture::plot() const {
    return QRectF(rect()).adjusted(46, 6, -8, -22);
}

double IntakePicture::lengthS() const {
    const auto* state = m_desk.analyst.element(m_desk.document.selected());
    return state != nullptr && state->analysis
               ? std::max(0.001, framesToSeconds(state->analysis->overview.frames(),
                                                 m_desk.document.session().sampleRateHz))
               : 1;
}

void IntakePicture::paintAxes(QPainter& p, const QRectF& lane) const {
    const Theme& t = theme();
    p.setFont(textFont(11));
    for (const double db : {0.0, -6.0, -12.0}) {
        const double size = dbToLinear(db) * lane.height() / 2;
        for (const double sign : {1.0, -1.0}) {
            const double y = lane.center().y() - sign * size;
            p.setPen(QPen(t.line, 1, db == 0 ? Qt::SolidLine : Qt::DotLine));
            p.drawLine(QPointF(lane.left(), y), QPointF(lane.right(), y));
            if (sign > 0 && (lane.height() > 90 || db == 0)) {
                p.setPen(t.faint);
                p.drawText(QRectF(0, y - 8, lane.left() - 6, 16), Qt::AlignRight | Qt::AlignVCenter,
                           dbText(db, 0) + (db == 0 ? QStringLiteral(" dBFS") : QStringLiteral(" dB")));
            }
        }
    }
}

void IntakePicture::paintChannel(QPainter& p, const QRectF& lane, const media::Overview& overview,
                                 int channel) const {
    const Theme& t = theme();
    const double half = lane.height() / 2;
    const double framesPerPx = static_cast<double>(overview.frames()) / lane.width();
    for (int x = 0; x < static_cast<int>(lane.width()); ++x) {
        const auto from = static_cast<Frames>(x * framesPerPx);
        const auto bin =
            overview.range(channel, from, std::max(from + 1, static_cast<Frames>((x + 1) * framesPerPx)));
        const double px = lane.left() + x;
        p.setPen(t.tealSoft);
        p.drawLine(QPointF(px, lane.center().y() - half * bin.max),
                   QPointF(px, lane.center().y() - half * bin.min + 0.5));
        const double rms = std::sqrt(bin.meanSquare);
        p.setPen(t.teal);
        p.drawLine(QPointF(px, lane.center().y() - half * rms),
                   QPointF(px, lane.center().y() + half * rms + 0.5));
    }
}

void IntakePicture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    const Theme& t = theme();
    p.fillRect(rect(), t.paper);
    const QRectF area = plot();
    const auto& s = m_desk.document.session();
    const auto* e = s.element(m_desk.document.selected());
    const auto* state = m_desk.analyst.element(m_desk.document.selected());
    p.setFont(textFont(13));
    if (e == nullptr || state == nullptr || !state->analysis) {
        p.setPen(state != nullptr && state->status == FileStatus::Failed ? t.ember : t.faint);
        const QString text = e == nullptr       ? tr("A bus has no file. Choose an element on the Board.")
                             : state == nullptr ? QString()
                             : state->status == FileStatus::Failed ? state->problem
                             : state->status == FileStatus::Converting
                                 ? tr("Being converted to the session's sample rate, %1 % done.")
                                       .arg(static_cast<int>(200 * state->share))
                                 : tr("Being measured; it can be played already.");
        p.drawText(rect().adjusted(40, 0, -40, 0), Qt::AlignCenter | Qt::TextWordWrap, text);
        return;
    }
    const auto& overview = state->analysis->overview;
    const auto channels = static_cast<int>(e->channels.size());
    for (int c = 0; c < channels; ++c) {
        // A pair joined from two files: each channel from its own.
        const auto* own = m_desk.analyst.file(e->channels[static_cast<std::size_t>(c)].file);
        const QRectF lane(area.left(), area.top() + area.height() * c / channels, area.width(),
                          area.height() / channels - 4);
        paintAxes(p, lane);
        if (own != nullptr && own->analysis)
            paintChannel(p, lane, own->analysis->overview,
                         std::min(e->channels[static_cast<std::size_t>(c)].channel,
                                  own->analysis->overview.channels() - 1));
        if (channels == 2) {
            p.setPen(t.ink);
            p.drawText(QRectF(lane.left() + 6, lane.top() + 2, 40, 16), Qt::AlignLeft,
                       c == 0 ? tr("left") : tr("right"));
        }
    }
    const double seconds = lengthS();
    const auto xOf = [&](double at) { return area.left() + at / seconds * area.width(); };
    p.setFont(textFont(11));
    p.setPen(t.faint);
    const double step = seconds > 120 ? 60 : seconds > 40 ? 10 : seconds > 10 ? 5 : seconds > 2 ? 1 : 0.1;
    for (double at = 0; at <= seconds; at += step) {
        p.drawLine(QPointF(xOf(at), area.bottom()), QPointF(xOf(at), area.bottom() + 4));
        const double left = std::min(xOf(at) - 30, width() - 62.0);
        const auto align = left < xOf(at) - 30 ? Qt::AlignRight : Qt::AlignHCenter;
        p.drawText(QRectF(left, area.bottom() + 4, 60, 16), align,
                   QString::number(at, 'g', 4) + QStringLiteral(" s"));
    }
    const auto& runs = state->analysis->facts.levels.clippedRuns;
    for (const auto& run : runs) {
        const double x = xOf(run.startS);
        p.fillRect(QRectF(x - 1, area.top(), 2, 10), t.ember);
    }
    if (!runs.empty()) {
        p.setPen(t.ember);
        p.setFont(textFont(12, QFont::DemiBold));
        const double x = xOf(runs.front().startS);
        const bool leftSide = x > area.center().x();
        p.drawText(QRectF(leftSide ? x - 106 : x + 6, area.top(), 100, 16),
                   leftSide ? Qt::AlignRight : Qt::AlignLeft, tr("clipped"));
    }
    const double shift = framesToSeconds(e->startFrame, s.sampleRateHz) + e->input.shiftMs * 0.001;
    const double head = m_desk.playback.positionS() - shift;
    if (head >= 0 && head <= seconds)
        p.fillRect(QRectF(xOf(head) - 0.75, area.top(), 1.5, area.height()), t.ember);
    if (m_pointerX >= area.left() && m_pointerX <= area.right()) {
        const double at = (m_pointerX - area.left()) / area.width() * seconds;
        const auto frame = static_cast<Frames>(at * s.sampleRateHz);
        const auto width = static_cast<Frames>(seconds / area.width() * s.sampleRateHz);
        const auto bin = overview.range(0, frame, frame + std::max<Frames>(1, width));
        const double peak = linearToDb(std::max(std::abs(bin.min), std::abs(bin.max)));
        p.setPen(QPen(t.slate, 1, Qt::DotLine));
        p.drawLine(QPointF(m_pointerX, area.top()), QPointF(m_pointerX, area.bottom()));
        p.setPen(t.ink);
        const QString text = tr("%1 s, peak %2 dBFS").arg(at, 0, 'f', 2).arg(dbText(peak));
        const bool leftSide = m_pointerX > area.center().x();
        p.drawText(QRectF(leftSide ? m_pointerX - 206 : m_pointerX + 6, area.bottom() - 20, 200, 16),
                   leftSide ? Qt::AlignRight : Qt::AlignLeft, text);
    }
}

void IntakePicture::mouseMoveEvent(QMouseEvent* event) {
    m_pointerX = event->position().x();
    update();
}

void IntakePicture::mousePressEvent(QMouseEvent* event) {
    const auto& s = m_desk.document.session();
    const auto* e = s.element(m_desk.document.selected());
    if (e == nullptr)
        return;
    const QRectF area = plot();
    const double at = std::clamp((event->position().x() - area.left()) / area.width(), 0.0, 1.0) * lengthS();
    m_desk.playback.playFrom(at + framesToSeconds(e->startFrame, s.sampleRateHz) + e->input.shiftMs * 0.001);
}

void IntakePicture::leaveEvent(QEvent*) {
    m_pointerX = -1;
    update();
}

} // namespace cask::app
