#include "app/strip/hit_strip.h"
#include "app/theme/theme.h"

#include <QPainter>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

/// 1, 2, 5 times a power of ten, at least `least`.
double niceStep(double least) {
    const double power = std::pow(10.0, std::floor(std::log10(least)));
    for (const double m : {1.0, 2.0, 5.0, 10.0})
        if (m * power >= least)
            return m * power;
    return 10 * power;
}

QString timeText(double seconds, double step) {
    const int minutes = static_cast<int>(seconds / 60);
    const double rest = seconds - 60 * minutes;
    const int decimals = step >= 1 ? 0 : step >= 0.1 ? 1 : step >= 0.01 ? 2 : 3;
    const QString text = QString::number(rest, 'f', decimals);
    return minutes > 0 ? QStringLiteral("%1:%2").arg(minutes).arg(text, decimals > 0 ? 3 + decimals : 2,
                                                                  QLatin1Char('0'))
                       : text + QStringLiteral(" s");
}

} // namespace

void HitStrip::paintWave(QPainter& p, const QRectF& lane, Id element) const {
    const auto* state = m_desk.analyst.element(element);
    const auto* e = m_desk.document.session().element(element);
    if (state == nullptr || !state->analysis || e == nullptr)
        return;
    const auto& overview = state->analysis->overview;
    const double rate = m_desk.document.session().sampleRateHz;
    const auto offset = e->startFrame + secondsToFrames(e->input.shiftMs * 0.001, rate);
    const int channel = std::min(e->channels.front().channel, overview.channels() - 1);
    const auto frameAt = [&](int x) { return secondsToFrames(secondsAt(x), rate) - offset; };
    const double mid = lane.center().y();
    const double half = lane.height() / 2;
    const bool fine = frameAt(101) - frameAt(100) < media::Overview::kBaseBinFrames;
    std::vector<float> samples;
    for (int x = static_cast<int>(lane.left()); x < lane.right(); ++x) {
        const Frames from = frameAt(x);
        const Frames to = std::max(from + 1, frameAt(x + 1));
        float low = 0;
        float high = 0;
        if (fine && state->source) { // closer than the overview: the samples themselves, once they are loaded
            samples.assign(static_cast<std::size_t>(to - from + 1), 0);
            state->source->read(channel, from, samples);
            const auto [least, most] = std::minmax_element(samples.begin(), samples.end());
            low = *least;
            high = *most;
        } else {
            const auto bin = overview.range(channel, from, to);
            low = bin.min;
            high = bin.max;
        }
        p.drawLine(QPointF(x, mid - half * high),
                   QPointF(x, std::max(mid - half * low, mid - half * high + 0.5)));
    }
}

void HitStrip::paintHits(QPainter& p, const QRectF& lane, const session::Element& e, bool isChosen) const {
    const Theme& t = theme();
    const double most = lane.height() - 2;
    const double wide = isChosen ? 1.8 : 1.3;
    const auto isSeen = [&](double x) { return x >= lane.left() - 1 && x <= lane.right(); };
    const auto* a = m_desk.hits.analysis();
    const int input = a == nullptr ? -1 : a->inputOf(e.id);
    if (input < 0) {
        // Until all is known: every rise of the file, hollow, for it may be spill.
        const auto* state = m_desk.analyst.element(e.id);
        if (state == nullptr || !state->trails || a != nullptr)
            return;
        const double offsetS =
            framesToSeconds(e.startFrame, m_desk.document.session().sampleRateHz) + e.input.shiftMs * 0.001;
        p.setPen(QPen(t.slate, 1));
        for (const auto& rise : state->trails->arrivals) {
            const double x = xOf(rise.timeS + offsetS);
            if (isSeen(x))
                p.drawLine(
                    QPointF(x, lane.bottom() - 1),
                    QPointF(x, lane.bottom() - 1 - most * std::clamp(1 + rise.levelDb / 60, 0.05, 1.0)));
        }
        return;
    }
    for (const auto& h : m_desk.hits.heardIn(input)) {
        const double x = xOf(h.timeS);
        if (!isSeen(x))
            continue;
        const double size = most * std::clamp(1 + h.levelDb / 54, 0.06, 1.0);
        const QRectF mark(x, lane.bottom() - 1 - size, wide, size);
        if (!h.isOwn) {
            // Spill is hollow: a thin outline, nothing inside, and only where there is room to tell it.
            if (isChosen) {
                p.setPen(QPen(t.ochre, 1));
                p.setBrush(Qt::NoBrush);
                p.drawRect(QRectF(x - 1.5, mark.top(), 3, size));
            }
            continue;
        }
        const bool isGhost = h.stroke >= 0 && a->hits.strokes[static_cast<std::size_t>(h.stroke)].hitClass ==
                                                  measure::HitClass::Ghost;
        p.fillRect(isGhost ? QRectF(x, lane.bottom() - 1 - std::min(size, most * 0.45), wide * 0.8,
                                    std::min(size, most * 0.45))
                           : mark,
                   t.teal);
        if (h.stroke >= 0 && m_desk.hits.isSelected(h.stroke)) {
            p.setPen(QPen(t.ember, h.stroke == m_desk.hits.chosenStroke() ? 1.6 : 1));
            p.setBrush(Qt::NoBrush);
            p.drawRect(QRectF(x - 3, lane.top() + 1, 7, lane.height() - 2));
        }
    }
}

void HitStrip::paintMarks(QPainter& p) const {
    const Theme& t = theme();
    const auto& s = m_desk.document.session();
    const auto lanes = this->lanes();
    // With many elements only the names that have room are written, and always the chosen one's.
    constexpr double kNamePx = 11;
    double nameEnd = kRulerPx - kNamePx;
    QRectF chosenLane;
    for (const auto& lane : lanes)
        if (lane.element == m_desk.document.selected())
            chosenLane = lane.rect;
    for (std::size_t i = 0; i < lanes.size() && m_rides->isOn(); ++i) {
        const auto* e = s.element(lanes[i].element);
        p.setPen(t.tealSoft);
        if (e != nullptr) {
            paintWave(p, lanes[i].rect, e->id);
            paintHits(p, lanes[i].rect, *e, false);
        }
        m_rides->paint(p);
    }
    for (std::size_t i = 0; i < lanes.size() && !m_rides->isOn(); ++i) {
        const auto& e = s.elements[i];
        const QRectF& lane = lanes[i].rect;
        const bool chosen = e->id == m_desk.document.selected();
        if (chosen)
            p.fillRect(QRectF(0, lane.top(), width(), lane.height()), t.chosen);
        const double nameTop = lane.center().y() - kNamePx / 2;
        const bool meetsChosen = !chosen && !chosenLane.isNull() && nameTop < chosenLane.bottom() - 1 &&
                                 nameTop + kNamePx > chosenLane.top() + 1;
        if (chosen || (nameTop >= nameEnd - 0.5 && !meetsChosen)) {
            p.setFont(textFont(11, chosen ? QFont::DemiBold : QFont::Normal));
            p.setPen(chosen ? t.ink : t.faint);
            p.drawText(
                QRectF(12, nameTop - 4, kLeftPx - 18, kNamePx + 8), Qt::AlignLeft | Qt::AlignVCenter,
                p.fontMetrics().elidedText(QString::fromStdString(e->name), Qt::ElideMiddle, kLeftPx - 18));
            nameEnd = nameTop + kNamePx;
        }
        if (chosen) {
            p.setPen(t.tealSoft);
            paintWave(p, lane, e->id);
        }
        paintHits(p, lane, *e, chosen);
    }
}

/// Bars and beats that have room: act(place, number of the bar, or 0 for a beat).
template <class Act> void HitStrip::eachBeat(const Act& act) const {
    const auto* a = m_desk.hits.analysis();
    if (a == nullptr || !a->tempo.isKnown)
        return;
    const auto& tempo = a->tempo;
    const double beatPx = xOf(tempo.timeOf(1)) - xOf(tempo.timeOf(0));
    const QRect lanes = lanesRect();
    int every = 1;
    while (every * tempo.beatsPerBar * beatPx < 34)
        every *= 2;
    for (std::size_t k = 0; k < tempo.beatsS.size(); ++k) {
        const double x = xOf(tempo.beatsS[k]);
        if (x < lanes.left() || x > lanes.right())
            continue;
        const bool isBar = k % static_cast<std::size_t>(tempo.beatsPerBar) == 0;
        const auto bar = static_cast<int>(k) / tempo.beatsPerBar;
        if (isBar ? bar % every == 0 : beatPx >= 30)
            act(x, isBar ? bar + 1 : 0);
    }
}

void HitStrip::paintBars(QPainter& p) const {
    eachBeat([&](double x, int bar) {
        p.setPen(QPen(theme().line, bar > 0 ? 1.6 : 0.8));
        p.drawLine(QPointF(x, kRulerPx - 4), QPointF(x, height() - 5));
    });
}

void HitStrip::paintBarNumbers(QPainter& p) const {
    p.setFont(textFont(11));
    p.setPen(theme().faint);
    eachBeat([&](double x, int bar) {
        if (bar > 0)
            p.drawText(QRectF(x + 2, height() - 17, 40, 12), Qt::AlignLeft | Qt::AlignVCenter,
                       QString::number(bar));
    });
}

void HitStrip::paintRuler(QPainter& p) const {
    const Theme& t = theme();
    const QRect lanes = lanesRect();
    const double span = m_spanS > 0 ? m_spanS : m_lengthS;
    const double step = niceStep(span / std::max(1.0, lanes.width() / 90.0));
    p.setFont(textFont(11));
    const bool hasBars = m_desk.hits.analysis() != nullptr && m_desk.hits.analysis()->tempo.isKnown;
    for (double at = std::ceil(m_startS / step) * step; at <= m_startS + span; at += step) {
        const double x = xOf(at);
        p.setPen(t.line);
        p.drawLine(QPointF(x, kRulerPx - 6),
                   QPointF(x, hasBars ? kRulerPx : height() - 4)); // one grid is enough
        const auto& sections = m_desk.document.session().sections;
        const bool isCovered =
            std::any_of(sections.begin(), sections.end(), [&](const session::Section& section) {
                return x > xOf(section.startS) - 30 && x < xOf(section.startS) + 60;
            });
        if (x + 40 > width() || isCovered)
            continue;
        p.setPen(t.faint);
        p.drawText(QRectF(x + 3, 4, 80, kRulerPx - 6), Qt::AlignLeft | Qt::AlignVCenter, timeText(at, step));
    }
    for (const auto& section : m_desk.document.session().sections) {
        const double x = xOf(section.startS);
        if (x < lanes.left() - 1 || x > lanes.right())
            continue;
        p.fillRect(QRectF(x, 2, 2, height() - 6), t.slate);
        p.setFont(textFont(11, QFont::DemiBold));
        p.setPen(t.slate);
        const QString name = QString::fromStdString(section.name);
        const QRectF label(x + 2, 3, p.fontMetrics().horizontalAdvance(name) + 10, kRulerPx - 7);
        p.fillRect(label, t.paper);
        p.drawText(label.adjusted(4, 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter, name);
    }
}

void HitStrip::paintMarkers(QPainter& p) const {
    const Theme& t = theme();
    const QRect lanes = lanesRect();
    p.setFont(textFont(11));
    double nameEnd = 0;
    for (const auto& marker : m_desk.document.session().markers) {
        const double x = xOf(marker.timeS);
        if (x < lanes.left() - 1 || x > lanes.right())
            continue;
        p.setPen(QPen(t.ink, 1, Qt::DotLine));
        p.drawLine(QPointF(x, kRulerPx - 1), QPointF(x, height() - 5));
        p.setPen(Qt::NoPen);
        p.setBrush(t.ink);
        p.drawPolygon(QPolygonF({{x - 4, kRulerPx - 8.0}, {x + 4, kRulerPx - 8.0}, {x, kRulerPx - 1.0}}));
        const QString name = QString::fromStdString(marker.name);
        const QRectF label(x + 6, kRulerPx - 3, p.fontMetrics().horizontalAdvance(name) + 6, 14);
        if (label.left() < nameEnd || label.right() > width())
            continue;
        nameEnd = label.right();
        p.fillRect(label, t.paper);
        p.setPen(t.ink);
        p.drawText(label, Qt::AlignLeft | Qt::AlignVCenter, name);
    }
}

/// The gain along the chosen line: of the gate, open at its top and 30 dB down at its foot; of compressors
/// from 0 dB at its top to 15 dB of change.
void HitStrip::paintGain(QPainter& p) const {
    const double most = m_isCompressorGain ? 15 : 30;
    constexpr double kGapS = 0.2;
    if (m_gain.size() < 2)
        return;
    for (const auto& lane : lanes()) {
        if (lane.element != m_gainElement)
            continue;
        const QRectF inside(lanesRect().left(), lane.rect.top(), lanesRect().width(), lane.rect.height());
        p.save();
        p.setClipRect(inside);
        p.setRenderHint(QPainter::Antialiasing);
        p.setPen(QPen(theme().ink, 1.3));
        const auto place = [&](const QPointF& g) {
            return QPointF(xOf(g.x()),
                           inside.top() + 2 +
                               std::clamp(std::abs(g.y()) / most, 0.0, 1.0) * (inside.height() - 4));
        };
        for (std::size_t i = 1; i < m_gain.size(); ++i)
            if (m_gain[i].x() - m_gain[i - 1].x() < kGapS)
                p.drawLine(place(m_gain[i - 1]), place(m_gain[i]));
        p.restore();
    }
}

void HitStrip::paintEvent(QPaintEvent*) {
    if (m_isStale || m_picture.size() != size() * devicePixelRatioF()) {
        m_picture = QPixmap(size() * devicePixelRatioF());
        m_picture.setDevicePixelRatio(devicePixelRatioF());
        m_picture.fill(theme().paper);
        QPainter still(&m_picture);
        paintBars(still);
        paintMarks(still);
        paintBarNumbers(still); // over the chosen line
        paintRuler(still);
        paintMarkers(still);
        m_isStale = false;
    }
    QPainter p(this);
    const Theme& t = theme();
    p.drawPixmap(0, 0, m_picture);
    p.fillRect(QRect(0, 0, width(), 1), t.line);
    const QRect lanes = lanesRect();
    if (m_desk.playback.hasLoop()) {
        QColor tint = t.teal;
        tint.setAlpha(26);
        const double a = std::max<double>(lanes.left(), xOf(m_desk.playback.loopStartS()));
        const double b = std::min<double>(lanes.right(), xOf(m_desk.playback.loopEndS()));
        p.fillRect(QRectF(a, kRulerPx - 4, b - a, height() - kRulerPx), tint);
        p.fillRect(QRectF(a, kRulerPx - 5, b - a, 3), t.teal);
        p.setFont(textFont(11, QFont::DemiBold));
        p.setPen(t.teal);
        p.drawText(QRectF(12, 4, kLeftPx - 16, kRulerPx - 6), Qt::AlignLeft | Qt::AlignVCenter,
                   tr("loop on"));
    } else {
        p.setFont(textFont(11));
        p.setPen(t.faint);
        const QString name =
            QString::fromStdString(m_desk.document.session().nameOf(m_desk.document.selected()));
        p.drawText(QRectF(12, 4, kLeftPx - 16, kRulerPx - 6), Qt::AlignLeft | Qt::AlignVCenter,
                   m_rides->isOn()
                       ? p.fontMetrics().elidedText(tr("ride: %1").arg(name), Qt::ElideRight, kLeftPx - 16)
                       : tr("Hit strip"));
    }
    if (!m_box.isNull()) {
        QColor tint = t.ember;
        tint.setAlpha(24);
        p.fillRect(m_box, tint);
        p.setPen(QPen(t.ember, 1, Qt::DashLine));
        p.setBrush(Qt::NoBrush);
        p.drawRect(m_box);
    }
    paintGain(p);
    const double x = xOf(m_desk.playback.positionS());
    if (x >= lanes.left() - 1 && x <= lanes.right())
        p.fillRect(QRectF(x - 0.75, 2, 1.5, height() - 4), t.ember);
}

} // namespace cask::app
