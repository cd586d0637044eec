#include "app/bench/punch/hit_marks_picture.h"

#include "app/picture/picture_paint.h"
#include "app/theme/theme.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QPainter>
#include <QToolTip>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

constexpr double kRecoveredDb = 1;
constexpr double kLeastMarkDb = 6;
constexpr double kNearPx = 8;

QString clock(double s) {
    return QStringLiteral("%1:%2")
        .arg(static_cast<int>(s) / 60)
        .arg(std::fmod(s, 60), 4, 'f', 1, QLatin1Char('0'));
}

} // namespace

HitMarksPicture::HitMarksPicture(const Desk& desk, PunchModel& punch, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_punch(punch) {
    setAccessibleName(tr("Gain change of every hit of the take"));
    setFixedHeight(68);
    setFocusPolicy(Qt::StrongFocus);
    connect(&punch, &PunchModel::changed, this, qOverload<>(&QWidget::update));
}

QRectF HitMarksPicture::plot() const {
    return QRectF(rect()).adjusted(48, 28, -12, -8);
}

double HitMarksPicture::xOf(double timeS) const {
    const auto* m = m_punch.material();
    const QRectF r = plot();
    return m == nullptr || m->frames() == 0
               ? r.left()
               : r.left() + (timeS - m->startS) / (m->endS() - m->startS) * r.width();
}

QString HitMarksPicture::textOf(std::size_t hit) const {
    const auto& c = *m_punch.compression();
    const auto& h = c.hits[hit];
    const bool isLast = hit + 1 == c.hits.size();
    const QString told = tr("hit %1 of %2 at %3: %4 dB, its peak %5 dB")
                             .arg(hit + 1)
                             .arg(c.hits.size())
                             .arg(clock(h.timeS), dbText(h.changeDb), dbText(h.keptDb()));
    return isLast ? told : told + tr("; %1 dB left at the next").arg(dbText(h.leftDb));
}

std::optional<std::size_t> HitMarksPicture::hitAt(double x) const {
    const auto* c = m_punch.compression();
    std::optional<std::size_t> nearest;
    double off = kNearPx;
    for (std::size_t i = 0; c != nullptr && m_punch.material() != nullptr && i < c->hits.size(); ++i)
        if (const double away = std::abs(xOf(c->hits[i].timeS) - x); away < off) {
            off = away;
            nearest = i;
        }
    return nearest;
}

void HitMarksPicture::choose(std::size_t hit) {
    m_punch.chooseHit(m_punch.compression()->hits[hit].hit);
    setAccessibleDescription(textOf(hit));
}

void HitMarksPicture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    const QRectF r = plot();
    const auto* c = m_punch.compression();
    const auto* m = m_punch.material();
    paintGround(p, rect(), tr("Every hit of the take"));
    if (c == nullptr || m == nullptr || m_punch.module() == nullptr)
        return;
    double most = kLeastMarkDb;
    std::size_t chosen = c->hits.size();
    int late = 0;
    for (std::size_t i = 0; i < c->hits.size(); ++i) {
        most = std::max(most, std::abs(c->hits[i].changeDb));
        late += std::abs(c->hits[i].leftDb) >= kRecoveredDb ? 1 : 0;
        if (c->hits[i].hit == m_punch.chosenHit())
            chosen = i;
    }
    p.setFont(textFont(11));
    p.setPen(t.faint);
    p.drawText(QRectF(0, r.top() - 7, r.left() - 5, 14), Qt::AlignRight | Qt::AlignVCenter,
               QStringLiteral("0"));
    p.drawText(QRectF(0, r.bottom() - 7, r.left() - 5, 14), Qt::AlignRight | Qt::AlignVCenter,
               tr("%1 dB").arg(dbText(c->middleChangeDb() > 0 ? most : -most, 0)));
    // What is said of the chosen one, or of all, stands beside the title.
    const bool mustRecover = m_desk.document.session().element(m_punch.owner()) != nullptr; // a bus may glue
    const QString said =
        chosen < c->hits.size() ? textOf(chosen)
        : late == 0             ? tr("the gain recovers before every next hit")
        : mustRecover
            ? tr("red foot: 1 dB or more is left at the next hit (%1)").arg(late)
            : tr("the gain recovers before the next hit at %1 of %2").arg(c->recovered).arg(c->followed);
    p.setPen(t.ink);
    p.drawText(QRectF(r.left() + 110, 5, r.width() - 110, 16), Qt::AlignRight | Qt::AlignVCenter, said);
    p.setPen(t.line);
    p.drawLine(r.topLeft(), r.topRight());
    for (std::size_t i = 0; i < c->hits.size(); ++i) {
        const auto& hit = c->hits[i];
        const bool isGhost = m->hits[static_cast<std::size_t>(hit.hit)].hitClass == measure::HitClass::Ghost;
        const bool isLate = std::abs(hit.leftDb) >= kRecoveredDb;
        const double x = xOf(hit.timeS);
        const double y = r.top() + std::abs(hit.changeDb) / most * r.height();
        p.setPen(QPen(i == chosen ? t.ink : t.teal,
                      i == chosen ? 3
                      : isGhost   ? 1
                                  : 2,
                      Qt::SolidLine, Qt::FlatCap));
        p.drawLine(QPointF(x, r.top()), QPointF(x, y));
        if (isLate && mustRecover) { // its foot
            p.setPen(QPen(t.ember, 2));
            p.drawLine(QPointF(x - 2.5, y), QPointF(x + 2.5, y));
        }
    }
    if (hasFocus()) {
        p.setPen(QPen(t.ink, 1, Qt::DotLine));
        p.setBrush(Qt::NoBrush);
        p.drawRect(rect().adjusted(1, 1, -2, -2));
    }
}

bool HitMarksPicture::event(QEvent* event) {
    if (event->type() != QEvent::ToolTip)
        return QWidget::event(event);
    const auto* help = static_cast<QHelpEvent*>(event);
    const auto hit = hitAt(help->pos().x());
    QToolTip::showText(
        help->globalPos(),
        hit ? textOf(*hit)
            : tr("A mark is a hit: its length how far the gain goes. Click one to see it alone"),
        this);
    return true;
}

void HitMarksPicture::mousePressEvent(QMouseEvent* event) {
    const auto hit = hitAt(event->position().x());
    if (!hit || m_punch.compression()->hits[*hit].hit == m_punch.chosenHit())
        m_punch.chooseHit(-1);
    else
        choose(*hit);
}

void HitMarksPicture::keyPressEvent(QKeyEvent* event) {
    const auto* c = m_punch.compression();
    const int step = event->key() == Qt::Key_Right ? 1 : event->key() == Qt::Key_Left ? -1 : 0;
    if (event->key() == Qt::Key_Escape && m_punch.chosenHit() >= 0) {
        m_punch.chooseHit(-1);
        return;
    }
    if (step == 0 || c == nullptr || c->hits.empty()) {
        QWidget::keyPressEvent(event);
        return;
    }
    const auto now = std::find_if(c->hits.begin(), c->hits.end(),
                                  [&](const auto& hit) { return hit.hit == m_punch.chosenHit(); });
    const auto count = static_cast<std::ptrdiff_t>(c->hits.size());
    const std::ptrdiff_t next =
        now == c->hits.end() ? (step > 0 ? 0 : count - 1) : now - c->hits.begin() + step;
    choose(static_cast<std::size_t>(std::clamp<std::ptrdiff_t>(next, 0, count - 1)));
}

} // namespace cask::app
