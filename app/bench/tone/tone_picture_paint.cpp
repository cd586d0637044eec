// How the Tone picture is drawn.
#include "app/bench/tone/tone_picture.h"
#include "app/theme/theme.h"
#include "core/graph/module_sections.h"
#include "core/measure/tone/ugly.h"
#include "core/session/kinds.h"

#include <QPainter>
#include <QPainterPath>
#include <QToolButton>

#include <algorithm>
#include <cmath>

namespace cask::app {

using dsp::EqBand;
using dsp::FilterKind;

void TonePicture::paintAxes(QPainter& p) const {
    const Theme& t = theme();
    const QRectF area = plot();
    axis().paint(p);
    const double step = m_before.empty() ? 6 : 12;
    for (double db = std::floor(m_topDb / step) * step; db >= m_bottomDb; db -= step) {
        p.setPen(QPen(t.line, 1, db == 0 ? Qt::SolidLine : Qt::DotLine));
        p.drawLine(QPointF(area.left(), yOf(db)), QPointF(area.right(), yOf(db)));
        p.setPen(t.faint);
        p.drawText(QRectF(0, yOf(db) - 8, area.left() - 6, 16), Qt::AlignRight | Qt::AlignVCenter,
                   dbText(db, 0) + QStringLiteral(" dB"));
    }
}

void TonePicture::paintCurves(QPainter& p) const {
    const Theme& t = theme();
    const QRectF area = plot();
    const auto* kept = m_desk.document.session().chain(m_desk.document.selected());
    if (kept == nullptr)
        return;
    auto chain = *kept;
    for (auto& module : chain)
        module.settings = session::settingsIn(module, m_eq.section());
    // All sections are designed once, then read at every pixel column.
    const double rate = m_desk.document.session().sampleRateHz;
    const auto* chosen = m_eq.band();
    const auto part = chosen != nullptr && chosen->part == dsp::StereoPart::Side ? dsp::StereoPart::Side
                                                                                 : dsp::StereoPart::Middle;
    const auto sections = graph::sectionsOf(chain, part, rate, [&](Id id) {
        return m_desk.playback.isPlaying() ? m_desk.playback.engine().movedDb(id) : 0.0;
    });
    QPainterPath was;
    QPainterPath willBe;
    const double topHz = std::min(kHighestShownHz, 0.49 * rate);
    for (double x = area.left(); x <= area.right(); x += 1) {
        const double hz = hzAt(x);
        if (hz > topHz)
            break;
        const double response = dsp::responseDb(sections, hz, rate);
        const QPointF a(x, std::clamp(yOf(before(hz)), area.top(), area.bottom()));
        const QPointF b(x, std::clamp(yOf(before(hz) + response), area.top(), area.bottom()));
        was.elementCount() == 0 ? was.moveTo(a) : was.lineTo(a);
        willBe.elementCount() == 0 ? willBe.moveTo(b) : willBe.lineTo(b);
    }
    if (willBe.elementCount() == 0)
        return;
    p.setRenderHint(QPainter::Antialiasing);
    QPainterPath filled = willBe;
    const double floor = m_before.empty() ? yOf(0) : area.bottom();
    filled.lineTo(willBe.currentPosition().x(), floor);
    filled.lineTo(area.left(), floor);
    filled.closeSubpath();
    QColor soft = t.tealSoft;
    soft.setAlpha(themeKind() == ThemeKind::Night ? 200 : 150);
    p.fillPath(filled, soft);
    p.setPen(QPen(t.teal, 1.6));
    p.drawPath(willBe);
    p.setPen(QPen(t.ink, 1));
    p.drawPath(was);
    p.setRenderHint(QPainter::Antialiasing, false);
}

/// Over the plot: what the lines are, and the price of the chosen move.
void TonePicture::paintKey(QPainter& p) const {
    const Theme& t = theme();
    const QRectF area = plot();
    p.setFont(textFont(11));
    double x = area.right() - 4;
    const auto entry = [&](const QString& text, const QPen& pen) {
        x -= p.fontMetrics().horizontalAdvance(text);
        p.setPen(t.faint);
        p.drawText(QPointF(x, 17), text);
        x -= 26;
        p.setPen(pen);
        p.drawLine(QPointF(x, 13), QPointF(x + 20, 13));
        x -= 12;
    };
    if (m_besideButton->isVisible()) {
        x = m_besideButton->x() + 4; // an entry leaves room for words
        if (!m_besideDb.empty() || m_usual)
            entry(QString(), QPen(besideTint(), 1.6,
                                  m_beside == Beside::Noise || m_usual ? Qt::DashLine : Qt::SolidLine));
    }
    entry(tr("as it will be"), QPen(t.teal, 2));
    entry(m_before.empty()             ? tr("flat")
          : !m_isOfHits                ? tr("whole file as it was")
          : m_moment == Moment::Attack ? tr("first 20 ms of own hits")
          : m_moment == Moment::Tail   ? tr("own hits from 30 ms on")
                                       : tr("own hits as they were"),
          QPen(t.ink, 1));
    p.setPen(t.ink);
    p.drawText(QPointF(10, 17),
               p.fontMetrics().elidedText(m_eq.price(), Qt::ElideRight, static_cast<int>(x - 14)));
}

/// The drum's note and what rings, as flags that stand on the axis.
void TonePicture::paintMarks(QPainter& p) const {
    const auto* tone = m_desk.tones.tone(m_desk.document.selected());
    if (tone == nullptr)
        return;
    const Theme& t = theme();
    const QRectF area = plot();
    p.setFont(textFont(11));
    struct Flag {
        double hz;
        QString text;
        QColor tint;
        Qt::PenStyle style;
    };
    std::vector<Flag> flags;
    const auto noteOf = [](double hz) { return QString::fromStdString(measure::nearestNote(hz).name); };
    const auto& partials = tone->partials;
    if (tone->isNoteSure())
        flags.push_back(
            {partials.fundamental.hz,
             tr("note %1, %2").arg(noteOf(partials.fundamental.hz), hzText(partials.fundamental.hz)), t.teal,
             Qt::SolidLine});
    for (const auto& ring : partials.rings)
        flags.push_back(
            {ring.hz, tr("rings %1, %2").arg(hzText(ring.hz), noteOf(ring.hz)), t.ember, Qt::DashLine});
    std::sort(flags.begin(), flags.end(), [](const Flag& a, const Flag& b) { return a.hz < b.hz; });
    for (const auto& flag : flags) {
        p.setPen(QPen(flag.tint, 1.4, flag.style));
        p.drawLine(QPointF(xOf(flag.hz), yOf(before(flag.hz))), QPointF(xOf(flag.hz), area.bottom()));
    }
    double taken = -1e9; // right edge of the flags before
    int row = 0;
    for (const auto& flag : flags) {
        const double x = xOf(flag.hz);
        const double w = p.fontMetrics().horizontalAdvance(flag.text) + 8;
        row = x < taken ? (row + 1) % 3 : 0;
        taken = std::max(taken, x + w + 4);
        const bool turns = x + w > area.right();
        const QRectF label(turns ? x - w : x + 1, area.bottom() - 18 - 17 * row, w, 16);
        p.fillRect(label, t.paper);
        p.setPen(flag.tint);
        p.drawText(label, Qt::AlignCenter, flag.text);
    }
}

void TonePicture::paintHunt(QPainter& p) const {
    if (m_huntedHz <= 0)
        return;
    const Theme& t = theme();
    const QRectF area = plot();
    const double x = xOf(m_huntedHz);
    // The measures' own ranking, to be compared with the ear.
    if (const auto* tone = m_desk.tones.tone(m_desk.document.selected())) {
        int rank = 0;
        p.setFont(textFont(11));
        for (const auto& place : measure::rankUgly(tone->spectra.own, tone->partials)) {
            const double at = xOf(place.hz);
            const QString text = tr("%1: %2, +%3 dB%4")
                                     .arg(++rank)
                                     .arg(hzText(std::round(place.hz)), dbText(place.excessDb, 0),
                                          place.isRing ? tr(", rings") : QString());
            p.setPen(QPen(t.slate, 1, Qt::DashLine));
            p.drawLine(QPointF(at, area.top() + 20 + 17 * rank), QPointF(at, yOf(before(place.hz))));
            const double w = p.fontMetrics().horizontalAdvance(text) + 6;
            const QRectF label(at + w > area.right() ? at - w : at, area.top() + 6 + 17 * rank, w, 16);
            p.fillRect(label, t.paper);
            p.setPen(t.ink);
            p.drawText(label, Qt::AlignCenter, text);
        }
    }
    QColor band = t.ember;
    band.setAlpha(60);
    p.fillRect(QRectF(xOf(m_huntedHz / 1.065), area.top(), xOf(m_huntedHz * 1.065) - xOf(m_huntedHz / 1.065),
                      area.height()),
               band);
    p.setPen(QPen(t.ember, 1.4));
    p.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()));
    p.setFont(textFont(12, QFont::DemiBold));
    const bool leftSide = x > area.center().x();
    const QString words = tr("lifted here: %1; click or Enter cuts it").arg(hzText(m_huntedHz));
    const double w = p.fontMetrics().horizontalAdvance(words) + 10;
    const QRectF label(leftSide ? x - w - 6 : x + 6, area.center().y() - 10, w, 20);
    p.fillRect(label, t.paper);
    p.setPen(t.ember);
    p.drawText(label, Qt::AlignCenter, words);
}

void TonePicture::paintBracket(QPainter& p, const EqBand& b) const {
    const Theme& t = theme();
    const QRectF area = plot();
    const Bracket r = bracketOf(b);
    const bool chosen = b.id == m_eq.chosenBand();
    const QColor tone = !b.isOn ? t.faint : chosen ? t.ember : t.slate;
    p.setRenderHint(QPainter::Antialiasing);
    const double x0 = std::clamp(r.x0, area.left(), area.right());
    const double x1 = std::clamp(r.x1, area.left(), area.right());
    p.setPen(QPen(tone, chosen ? 2.2 : 1.5, b.isOn ? Qt::SolidLine : Qt::DotLine));
    if (dsp::isPass(b.kind)) {
        // A wall at the corner, hatched on the side that is taken away.
        const double wall = xOf(b.frequencyHz);
        p.drawLine(QPointF(wall, area.top() + 16), QPointF(wall, area.bottom()));
        QColor hatch = tone;
        hatch.setAlpha(38);
        p.fillRect(QRectF(x0, area.top() + 16, x1 - x0, area.height() - 16), QBrush(hatch, Qt::BDiagPattern));
        p.fillRect(QRectF(wall - 4, r.bar - 8, 8, 16), tone);
    } else {
        p.drawLine(QPointF(x0, r.base), QPointF(x0, r.bar));
        p.drawLine(QPointF(x1, r.base), QPointF(x1, r.bar));
        p.drawLine(QPointF(x0, r.bar), QPointF(x1, r.bar));
        // A short tick at the centre says where the frequency is.
        const double c = xOf(b.frequencyHz);
        p.drawLine(QPointF(c, r.bar - 4), QPointF(c, r.bar + 4));
        if (b.isDynamic()) {
            // How far it may go, and the stretch it has gone now.
            p.setPen(QPen(tone, 1.2, Qt::DashLine));
            p.drawRect(QRectF(QPointF(x0, std::min(r.bar, r.range)), QPointF(x1, std::max(r.bar, r.range))));
            QColor gone = t.ember;
            gone.setAlpha(70);
            p.fillRect(QRectF(QPointF(x0, std::min(r.bar, r.moved)), QPointF(x1, std::max(r.bar, r.moved))),
                       gone);
        }
    }
    p.setRenderHint(QPainter::Antialiasing, false);
    p.setFont(textFont(12, chosen ? QFont::DemiBold : QFont::Normal));
    QString text = EqModel::inWords(b) + (b.isOn ? QString() : tr(", off"));
    if (b.isDynamic())
        text += tr(", %1 %2 dB %3")
                    .arg(b.rangeDb < 0 ? tr("down to") : tr("up to"), dbText(b.gainDb + b.rangeDb),
                         b.dynamics == dsp::Dynamics::Above ? tr("above threshold") : tr("below threshold"));
    if (b.part != dsp::StereoPart::Both)
        text += b.part == dsp::StereoPart::Middle ? tr(", mid") : tr(", side");
    const double w = p.fontMetrics().horizontalAdvance(text) + 8;
    const bool isCut = r.bar > r.base;
    double y = dsp::isPass(b.kind) ? area.top() : isCut ? r.bar + 3 : r.bar - 19;
    y = std::clamp(y, area.top(), area.bottom() - 18);
    const double middle = dsp::isPass(b.kind)
                              ? (b.kind == FilterKind::HighPass ? xOf(b.frequencyHz) + w / 2 + 6
                                                                : xOf(b.frequencyHz) - w / 2 - 6)
                              : (x0 + x1) / 2;
    const QRectF label(std::clamp(middle - w / 2, area.left(), area.right() - w), y, w, 16);
    QColor ground = t.paper;
    ground.setAlpha(225);
    p.fillRect(label, ground);
    p.setPen(chosen ? t.ember : t.ink);
    p.drawText(label, Qt::AlignCenter, text);
}

void TonePicture::paintPointer(QPainter& p) const {
    const QRectF area = plot();
    if (!area.contains(m_pointer) || m_grip != Grip::None)
        return;
    const Theme& t = theme();
    const double hz = hzAt(m_pointer.x());
    p.setPen(QPen(t.slate, 1, Qt::DotLine));
    p.drawLine(QPointF(m_pointer.x(), area.top()), QPointF(m_pointer.x(), area.bottom()));
    p.setFont(textFont(11));
    p.setPen(t.ink);
    const QString text = m_before.empty() ? hzText(hz) : tr("%1, %2 dB").arg(hzText(hz), dbText(before(hz)));
    const bool leftSide = m_pointer.x() > area.center().x();
    p.drawText(QRectF(leftSide ? m_pointer.x() - 126 : m_pointer.x() + 6, area.bottom() - 18, 120, 16),
               leftSide ? Qt::AlignRight : Qt::AlignLeft, text);
}

void TonePicture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.fillRect(rect(), theme().paper);
    paintAxes(p);
    paintCurves(p);
    paintBeside(p);
    paintMarks(p);
    for (const auto& b : m_eq.bands())
        if (b.id != m_eq.chosenBand())
            paintBracket(p, b);
    if (const auto* b = m_eq.band())
        paintBracket(p, *b);
    paintKey(p);
    paintHunt(p);
    paintPointer(p);
    if (m_eq.bands().empty()) {
        p.setFont(textFont(13));
        p.setPen(theme().faint);
        p.drawText(plot().adjusted(0, 26, 0, 0), Qt::AlignHCenter | Qt::AlignTop,
                   tr("Double-click where a band is wanted, or choose one below."));
    }
    if (hasFocus())
        p.fillRect(QRect(0, height() - 2, width(), 2), theme().ember);
}

} // namespace cask::app
