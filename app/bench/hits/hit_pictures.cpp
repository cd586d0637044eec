#include "app/bench/hits/hit_pictures.h"

#include "app/picture/picture_paint.h"
#include "app/theme/theme.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

namespace cask::app {
namespace {

using measure::HitClass;

/// What the pictures speak of: the chosen element's input and drum; -1 when there is none.
struct Chosen {
    int input = -1;
    int drum = -1;
};

Chosen chosenOf(const Desk& desk) {
    Chosen chosen;
    const auto* a = desk.hits.analysis();
    if (a == nullptr)
        return chosen;
    chosen.input = a->inputOf(desk.document.selected());
    chosen.drum = desk.hits.drumShown(desk.document.selected());
    return chosen;
}

QString hintOf(const Desk& desk, const Chosen& chosen) {
    if (desk.hits.analysis() == nullptr)
        return desk.document.session().elements.empty() ? QObject::tr("No elements yet.")
                                                        : QObject::tr("Still searching for hits.");
    if (chosen.input < 0)
        return QObject::tr("Choose an element of the kit.");
    if (chosen.drum < 0)
        return QObject::tr("This microphone hears all drums; choose one that stands at a drum.");
    return {};
}

} // namespace

LevelPicture::LevelPicture(const Desk& desk, QWidget* parent) : QWidget(parent), m_desk(desk) {
    setAccessibleName(tr("Levels of hits"));
    setMinimumHeight(140);
    connect(&desk.hits, &HitModel::hitsChanged, this, qOverload<>(&QWidget::update));
    connect(&desk.hits, &HitModel::choiceChanged, this, qOverload<>(&QWidget::update));
    connect(&desk.document, &Document::selectionChanged, this, qOverload<>(&QWidget::update));
}

QRectF LevelPicture::plot() const {
    return QRectF(rect()).adjusted(14, 34, -14, -34);
}

double LevelPicture::xOf(double db) const {
    const QRectF r = plot();
    return r.left() + (std::clamp(db, -60.0, 0.0) + 60) / 60 * r.width();
}

void LevelPicture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    paintGround(p, rect(), tr("Levels"));
    const QRectF r = plot();
    const Chosen chosen = chosenOf(m_desk);
    if (const QString hint = hintOf(m_desk, chosen); !hint.isEmpty()) {
        paintHint(p, r, hint);
        return;
    }
    const auto& a = *m_desk.hits.analysis();
    p.setFont(textFont(11));
    for (int db = -60; db <= 0; db += 6) {
        p.setPen(t.line);
        p.drawLine(QPointF(xOf(db), r.top()), QPointF(xOf(db), r.bottom()));
        if (db % 12 == 0) {
            p.setPen(t.faint);
            p.drawText(QRectF(xOf(db) - 30, r.bottom() + 4, 60, 14), Qt::AlignHCenter | Qt::AlignTop,
                       dbText(db, 0));
        }
    }
    p.setPen(t.faint);
    p.drawText(QRectF(r.right() - 120, 6, 128, 18), Qt::AlignRight | Qt::AlignVCenter, tr("peak, dBFS"));
    // One decibel a bin; the higher pile fills its half.
    constexpr int kBins = 61;
    std::array<std::array<int, measure::kHitClasses>, kBins> own{};
    std::array<int, kBins> spill{};
    int most = 1;
    for (const auto& h : a.hits.heard) {
        if (h.input != chosen.input)
            continue;
        const auto bin = static_cast<std::size_t>(std::clamp(std::lround(h.levelDb) + 60, 0L, 60L));
        const bool isShown = h.isOwn && h.drum == chosen.drum; // a loop holds others too
        if (isShown && h.stroke >= 0) {
            auto& pile = own[bin];
            ++pile[static_cast<std::size_t>(a.hits.strokes[static_cast<std::size_t>(h.stroke)].hitClass)];
            most = std::max(most, std::accumulate(pile.begin(), pile.end(), 0));
        } else if (!isShown) {
            most = std::max(most, ++spill[bin]);
        }
    }
    const double middle = r.center().y();
    const double unit = (r.height() / 2 - 4) / most;
    const double wide = r.width() / 60;
    for (std::size_t bin = 0; bin < kBins; ++bin) {
        const double x = xOf(static_cast<double>(bin) - 60) - wide / 2 + 0.5;
        double y = middle;
        for (int c = 0; c < measure::kHitClasses; ++c) {
            const int count = own[bin][static_cast<std::size_t>(c)];
            if (count == 0)
                continue;
            const QRectF bar(x, y - count * unit, wide - 1, count * unit);
            const auto hitClass = static_cast<HitClass>(c);
            // Solid accents, lighter normal hits, ghosts as outlines: shape tells it without colour.
            if (hitClass == HitClass::Ghost) {
                p.setPen(QPen(t.teal, 1.2));
                p.setBrush(Qt::NoBrush);
                p.drawRect(bar.adjusted(0.6, 0.6, -0.6, -0.6));
            } else {
                QColor fill = t.teal;
                fill.setAlpha(hitClass == HitClass::Accent ? 255 : 140);
                p.fillRect(bar, fill);
            }
            y -= count * unit;
        }
        if (spill[bin] > 0) {
            p.setPen(QPen(t.ochre, 1.2));
            p.setBrush(Qt::NoBrush);
            p.drawRect(QRectF(x, middle + 1, wide - 1, spill[bin] * unit).adjusted(0.6, 0.6, -0.6, 0));
        }
    }
    p.setPen(t.ink);
    p.drawLine(QPointF(r.left(), middle), QPointF(r.right(), middle));
    const auto& limits = a.hits.limits[static_cast<std::size_t>(chosen.drum)];
    p.setFont(textFont(11, QFont::DemiBold));
    const auto limit = [&](double db, const QString& above, const QString& below) {
        if (db < -60 || db > 0)
            return;
        p.setPen(QPen(t.slate, 1, Qt::DashLine));
        p.drawLine(QPointF(xOf(db), r.top() - 4), QPointF(xOf(db), middle));
        p.setPen(t.ink);
        p.drawText(QRectF(xOf(db) + 4, r.top() - 8, 90, 14), Qt::AlignLeft | Qt::AlignVCenter, above);
        p.drawText(QRectF(xOf(db) - 94, r.top() - 8, 90, 14), Qt::AlignRight | Qt::AlignVCenter, below);
    };
    if (std::abs(limits.accentDb - limits.ghostDb) < 0.1) {
        limit(limits.accentDb, tr("accents"), tr("ghosts"));
    } else {
        limit(limits.ghostDb, {}, tr("ghosts"));
        limit(limits.accentDb, tr("accents"), {});
    }
    p.setFont(textFont(11));
    p.setPen(t.faint);
    p.drawText(r.adjusted(2, 0, 0, -2), Qt::AlignLeft | Qt::AlignBottom,
               a.hits.kit.drums[static_cast<std::size_t>(chosen.drum)].isMiked() ? tr("spill, hollow")
                                                                                 : tr("other drums, hollow"));
    // At the top, for soft hits are few and their piles low.
    p.drawText(QRectF(r.left() + 2, r.top() + 6, 160, 16), Qt::AlignLeft | Qt::AlignVCenter,
               tr("own hits, solid; ghosts outlined"));
    for (const int stroke : m_desk.hits.selection()) {
        if (a.hits.strokes[static_cast<std::size_t>(stroke)].drum != chosen.drum)
            continue;
        const double x = xOf(a.hits.levelDb(static_cast<std::size_t>(stroke), chosen.input));
        p.setPen(QPen(t.ember, 1.5));
        p.drawLine(QPointF(x, stroke == m_desk.hits.chosenStroke() ? r.top() + 8 : middle - 5),
                   QPointF(x, middle + 4));
    }
}

void LevelPicture::mousePressEvent(QMouseEvent* event) {
    // The own hit whose level is nearest to the pointer.
    const Chosen chosen = chosenOf(m_desk);
    if (chosen.drum < 0)
        return;
    const auto& a = *m_desk.hits.analysis();
    int best = -1;
    double nearest = 6;
    for (std::size_t s = 0; s < a.hits.strokes.size(); ++s) {
        if (a.hits.strokes[s].drum != chosen.drum)
            continue;
        const double off = std::abs(xOf(a.hits.levelDb(s, chosen.input)) - event->position().x());
        if (off < nearest) {
            nearest = off;
            best = static_cast<int>(s);
        }
    }
    if (best >= 0)
        m_desk.hits.chooseStroke(best);
}

TimingPicture::TimingPicture(const Desk& desk, QWidget* parent) : QWidget(parent), m_desk(desk) {
    setAccessibleName(tr("Timing of hits"));
    setMinimumHeight(140);
    connect(&desk.hits, &HitModel::hitsChanged, this, qOverload<>(&QWidget::update));
    connect(&desk.hits, &HitModel::choiceChanged, this, qOverload<>(&QWidget::update));
    connect(&desk.document, &Document::selectionChanged, this, qOverload<>(&QWidget::update));
}

QRectF TimingPicture::plot() const {
    return QRectF(rect()).adjusted(52, 34, -14, -24);
}

double TimingPicture::rangeMs() const {
    const Chosen chosen = chosenOf(m_desk);
    const auto& a = *m_desk.hits.analysis();
    double most = 12;
    for (std::size_t s = 0; s < a.hits.strokes.size(); ++s)
        if (a.hits.strokes[s].drum == chosen.drum && a.hits.strokes[s].hitClass != HitClass::Flam &&
            a.hits.strokes[s].hitClass != HitClass::Roll)
            most = std::max(most, std::abs(a.timing.errorMs[s]) + 2);
    return std::min(most, 60.0);
}

QPointF TimingPicture::placeOf(int stroke) const {
    const auto& a = *m_desk.hits.analysis();
    const QRectF r = plot();
    const auto& s = m_desk.document.session();
    const double lengthS = std::max(1.0, framesToSeconds(s.lengthFrames(), s.sampleRateHz));
    const double range = rangeMs();
    const double error = std::clamp(a.timing.errorMs[static_cast<std::size_t>(stroke)], -range, range);
    return {r.left() + a.hits.strokes[static_cast<std::size_t>(stroke)].timeS / lengthS * r.width(),
            r.center().y() - error / range * r.height() / 2};
}

void TimingPicture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    const Chosen chosen = chosenOf(m_desk);
    QString hint = hintOf(m_desk, chosen);
    if (hint.isEmpty() && !m_desk.hits.analysis()->tempo.isKnown)
        hint = tr("No tempo was found. Type one below.");
    constexpr int kRoomyPx = 400;
    paintGround(p, rect(), width() > kRoomyPx ? tr("Timing against the grid") : tr("Timing"));
    const QRectF r = plot();
    if (!hint.isEmpty()) {
        paintHint(p, r, hint);
        return;
    }
    const auto& a = *m_desk.hits.analysis();
    const auto& drum = a.timing.drums[static_cast<std::size_t>(chosen.drum)];
    const double range = rangeMs();
    const auto yOf = [&](double ms) { return r.center().y() - ms / range * r.height() / 2; };
    // The drum's own spread around its feel.
    QColor band = t.teal;
    band.setAlpha(28);
    p.fillRect(QRectF(r.left(), yOf(drum.feelMs + drum.spreadMs), r.width(),
                      yOf(drum.feelMs - drum.spreadMs) - yOf(drum.feelMs + drum.spreadMs)),
               band);
    p.setFont(textFont(11));
    const double step = range > 30 ? 20 : range > 15 ? 10 : 5;
    for (double ms = -std::floor(range / step) * step; ms <= range; ms += step) {
        p.setPen(t.line);
        p.drawLine(QPointF(r.left(), yOf(ms)), QPointF(r.right(), yOf(ms)));
        p.setPen(t.faint);
        p.drawText(QRectF(0, yOf(ms) - 8, r.left() - 6, 16), Qt::AlignRight | Qt::AlignVCenter,
                   ms == 0 ? tr("on it") : dbText(ms, 0) + tr(" ms"));
    }
    const auto& sections = m_desk.document.session().sections;
    const auto& s = m_desk.document.session();
    const double lengthS = std::max(1.0, framesToSeconds(s.lengthFrames(), s.sampleRateHz));
    for (const auto& section : sections) {
        const double x = r.left() + section.startS / lengthS * r.width();
        p.setPen(t.line);
        p.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()));
        p.setPen(t.faint);
        p.drawText(QPointF(x + 3, r.bottom() + 14), QString::fromStdString(section.name));
    }
    p.setPen(QPen(t.teal, 1.2, Qt::DashLine));
    p.drawLine(QPointF(r.left(), yOf(drum.feelMs)), QPointF(r.right(), yOf(drum.feelMs)));
    for (std::size_t i = 0; i < a.hits.strokes.size(); ++i) {
        const auto& stroke = a.hits.strokes[i];
        if (stroke.drum != chosen.drum)
            continue;
        const QPointF at = placeOf(static_cast<int>(i));
        const bool isGross =
            std::find(drum.gross.begin(), drum.gross.end(), static_cast<int>(i)) != drum.gross.end();
        const double size = stroke.hitClass == HitClass::Ghost ? 2 : 3.2;
        if (stroke.hitClass == HitClass::Flam || stroke.hitClass == HitClass::Roll) {
            p.setPen(QPen(t.slate, 1));
            p.drawLine(at - QPointF(3, 3), at + QPointF(3, 3));
        } else {
            p.setPen(Qt::NoPen);
            p.setBrush(isGross ? t.ember : t.teal);
            p.drawEllipse(at, size, size);
        }
        if (isGross) {
            p.setPen(t.ember);
            p.setFont(textFont(11, QFont::DemiBold));
            p.drawText(at + QPointF(6, 4), tr("%1 ms").arg(dbText(a.timing.errorMs[i], 0)));
        }
        if (m_desk.hits.isSelected(static_cast<int>(i))) {
            p.setPen(QPen(t.ember, static_cast<int>(i) == m_desk.hits.chosenStroke() ? 1.8 : 1));
            p.setBrush(Qt::NoBrush);
            p.drawEllipse(at, 6, 6);
        }
    }
    p.setFont(textFont(12));
    p.setPen(t.ink);
    const QString feel = std::abs(drum.feelMs) < 0.5 ? tr("on the grid")
                         : drum.feelMs > 0           ? tr("%1 ms late on average").arg(dbText(drum.feelMs))
                                                     : tr("%1 ms early on average").arg(dbText(-drum.feelMs));
    p.drawText(QRectF(r.left(), 6, r.width(), 18), Qt::AlignRight | Qt::AlignVCenter,
               tr("%1, spread %2 ms").arg(feel, dbText(drum.spreadMs)));
}

void TimingPicture::mousePressEvent(QMouseEvent* event) {
    const Chosen chosen = chosenOf(m_desk);
    if (chosen.drum < 0 || !m_desk.hits.analysis()->tempo.isKnown)
        return;
    const auto& a = *m_desk.hits.analysis();
    int best = -1;
    double nearest = 10;
    for (std::size_t i = 0; i < a.hits.strokes.size(); ++i) {
        if (a.hits.strokes[i].drum != chosen.drum)
            continue;
        const QPointF off = placeOf(static_cast<int>(i)) - event->position();
        if (std::hypot(off.x(), off.y()) < nearest) {
            nearest = std::hypot(off.x(), off.y());
            best = static_cast<int>(i);
        }
    }
    if (best >= 0)
        m_desk.hits.chooseStroke(best);
}

} // namespace cask::app
