#include "app/bench/balance/balance_plane.h"

#include "app/theme/theme.h"
#include "core/session/edits.h"
#include "core/session/parameters.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QWheelEvent>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

constexpr double kTopDb = 12;
constexpr double kBottomDb = -36; // lower levels stand on the floor of the plane
constexpr double kTokenPx = 20;
constexpr int kMostNamePx = 150;

QString shortName(const QFontMetrics& metrics, const std::string& name) {
    return metrics.elidedText(QString::fromStdString(name), Qt::ElideMiddle, kMostNamePx);
}

} // namespace

BalancePlane::BalancePlane(const Desk& desk, QWidget* parent) : QWidget(parent), m_desk(desk) {
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setAccessibleName(tr("Plane of level against pan"));
    setToolTip(tr(
        "Drag a token: up and down for level, left and right for position. Arrow keys nudge the chosen one, "
        "Shift for fine steps, Tab goes on to the next. Wheel on a stereo token: width."));
    for (const auto signal : {&Document::selectionChanged, &Document::changed, &Document::opened})
        connect(&desk.document, signal, this, qOverload<>(&QWidget::update));
    connect(&desk.playback, &Playback::tick, this, &BalancePlane::readLevels);
}

QRectF BalancePlane::plot() const {
    return QRectF(rect()).adjusted(58, 12, -12, -34);
}
double BalancePlane::yOf(double db) const {
    const QRectF area = plot();
    return area.top() + (kTopDb - std::clamp(db, kBottomDb, kTopDb)) / (kTopDb - kBottomDb) * area.height();
}
double BalancePlane::dbAt(double y) const {
    const QRectF area = plot();
    return kTopDb - (y - area.top()) / area.height() * (kTopDb - kBottomDb);
}
double BalancePlane::xOf(double pan) const {
    return plot().left() + (pan + 1) / 2 * plot().width();
}
double BalancePlane::panAt(double x) const {
    return (x - plot().left()) / plot().width() * 2 - 1;
}

QPointF BalancePlane::anchor(Id id) const {
    const auto* out = m_desk.document.session().output(id);
    return out == nullptr ? QPointF() : QPointF(xOf(out->pan), yOf(out->levelDb));
}

void BalancePlane::readLevels() {
    for (const auto& e : m_desk.document.session().elements) {
        const double now =
            powerToDb(static_cast<double>(m_desk.playback.engine().takeLevel(e->id).meanSquare));
        auto& shown = m_levelDb.try_emplace(e->id, kSilenceDb).first->second;
        shown = m_desk.playback.isPlaying() ? std::max(now, shown - 0.8) : kSilenceDb;
    }
    update();
}

void BalancePlane::layOutTokens() {
    m_tokens.clear();
    const QFontMetrics metrics(textFont(12, QFont::DemiBold));
    std::vector<std::pair<Id, QPointF>> order;
    for (const auto& e : m_desk.document.session().elements)
        order.emplace_back(e->id, anchor(e->id));
    std::stable_sort(order.begin(), order.end(),
                     [](const auto& a, const auto& b) { return a.second.y() < b.second.y(); });
    std::vector<QRectF> placed;
    for (const auto& [id, at] : order) {
        const double w =
            metrics.horizontalAdvance(shortName(metrics, m_desk.document.session().nameOf(id))) + 18;
        QRectF best;
        // Beside the anchor, right first, then left, then further down on either side.
        for (int attempt = 0; attempt < 24; ++attempt) {
            const double dy = (attempt / 2) * (kTokenPx + 2) * ((attempt / 2) % 2 == 0 ? 0.5 : -0.5);
            const double x = attempt % 2 == 0 ? at.x() + 8 : at.x() - 8 - w;
            QRectF r(x, at.y() - kTokenPx / 2 + dy, w, kTokenPx);
            r.moveLeft(std::clamp(r.left(), plot().left(), std::max(plot().left(), plot().right() - w)));
            r.moveTop(std::clamp(r.top(), plot().top(), plot().bottom() - kTokenPx));
            const bool clear =
                std::none_of(placed.begin(), placed.end(),
                             [&](const QRectF& o) { return o.intersects(r); }) &&
                std::none_of(order.begin(), order.end(), [&, self = id](const auto& other) {
                    return other.first != self && r.adjusted(-4, -4, 4, 4).contains(other.second);
                });
            if (attempt == 0 || clear)
                best = r;
            if (clear)
                break;
        }
        placed.push_back(best);
        m_tokens[id] = best;
    }
}

Id BalancePlane::tokenAt(const QPointF& at) const {
    for (const auto& [id, rect] : m_tokens)
        if (rect.contains(at))
            return id;
    Id nearest = session::kNoId;
    double least = 12;
    for (const auto& [id, rect] : m_tokens) {
        const QPointF d = anchor(id) - at;
        const double distance = std::hypot(d.x(), d.y());
        if (distance < least) {
            least = distance;
            nearest = id;
        }
    }
    return nearest;
}

void BalancePlane::paintAxes(QPainter& p) const {
    const Theme& t = theme();
    const QRectF area = plot();
    p.setFont(textFont(11));
    for (double db = kTopDb; db >= kBottomDb; db -= 6) {
        p.setPen(QPen(t.line, db == 0 ? 1.5 : 1, db == 0 ? Qt::SolidLine : Qt::DotLine));
        p.drawLine(QPointF(area.left(), yOf(db)), QPointF(area.right(), yOf(db)));
        p.setPen(t.faint);
        p.drawText(QRectF(0, yOf(db) - 8, area.left() - 8, 16), Qt::AlignRight | Qt::AlignVCenter,
                   dbText(db, 0) + QStringLiteral(" dB"));
    }
    for (const double pan : {-1.0, -0.5, 0.0, 0.5, 1.0}) {
        p.setPen(QPen(t.line, 1, pan == 0 ? Qt::SolidLine : Qt::DotLine));
        p.drawLine(QPointF(xOf(pan), area.top()), QPointF(xOf(pan), area.bottom()));
        p.setPen(t.faint);
        const QString text = pan == 0    ? tr("centre")
                             : pan == -1 ? tr("L 100")
                             : pan == 1  ? tr("R 100")
                                         : (pan < 0 ? tr("L 50") : tr("R 50"));
        const auto align = pan == -1 ? Qt::AlignLeft : pan == 1 ? Qt::AlignRight : Qt::AlignHCenter;
        const double x = pan == -1 ? xOf(pan) : pan == 1 ? xOf(pan) - 80 : xOf(pan) - 40;
        p.drawText(QRectF(x, area.bottom() + 4, 80, 14), align, text);
    }
    p.drawText(QRectF(area.left(), area.bottom() + 18, area.width(), 14), Qt::AlignHCenter,
               tr("pan (seen from the audience), level of each element upwards"));
}

void BalancePlane::paintSpan(QPainter& p, const session::Element& e) {
    if (!e.isStereo())
        return;
    const bool chosen = e.id == m_desk.document.selected();
    const QPointF at = anchor(e.id);
    const QColor tone = roleInfo(e.role).group == RoleGroup::Context ? theme().slate : theme().teal;
    const double half = e.out.widthPercent / 100 * plot().width() / 2;
    QColor span = tone;
    span.setAlpha(chosen ? 160 : 80);
    const double left = std::max(plot().left(), at.x() - half);
    const double right = std::min(plot().right(), at.x() + half);
    p.setPen(QPen(span, 2));
    p.drawLine(QPointF(left, at.y()), QPointF(right, at.y()));
    p.drawLine(QPointF(left, at.y() - 5), QPointF(left, at.y() + 5));
    p.drawLine(QPointF(right, at.y() - 5), QPointF(right, at.y() + 5));
}

void BalancePlane::paintToken(QPainter& p, const session::Element& e) {
    const Theme& t = theme();
    const bool chosen = e.id == m_desk.document.selected();
    const bool silent = e.out.isMuted;
    const QPointF at = anchor(e.id);
    const QRectF label = m_tokens[e.id];
    const QColor tone = roleInfo(e.role).group == RoleGroup::Context ? t.slate : t.teal;
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(QPen(silent ? t.faint : tone, 1));
    p.drawLine(at, QPointF(label.left() > at.x() ? label.left() : label.right(), label.center().y()));
    p.setBrush(silent ? t.paper : tone);
    p.setPen(QPen(silent ? t.faint : tone, 1.5));
    p.drawEllipse(at, 4, 4);
    p.setBrush(chosen ? t.chosen : t.paper);
    p.setPen(QPen(chosen ? t.ember : t.line, chosen ? 1.5 : 1));
    p.drawRoundedRect(label, 3, 3);
    p.setRenderHint(QPainter::Antialiasing, false);
    const double level = m_levelDb.contains(e.id) ? m_levelDb[e.id] : kSilenceDb;
    if (level > -60) {
        const double w = std::clamp((level + 60) / 60, 0.0, 1.0) * (label.width() - 8);
        p.fillRect(QRectF(label.left() + 4, label.bottom() - 3, w, 2), tone);
    }
    p.setFont(textFont(12, chosen ? QFont::DemiBold : QFont::Normal));
    p.setPen(silent ? t.faint : t.ink);
    p.drawText(label.adjusted(0, 0, 0, -1), Qt::AlignCenter, shortName(p.fontMetrics(), e.name));
}

void BalancePlane::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.fillRect(rect(), theme().paper);
    paintAxes(p);
    layOutTokens();
    const auto& s = m_desk.document.session();
    for (const auto& e : s.elements)
        paintSpan(p, *e);
    for (const auto& e : s.elements)
        if (e->id != m_desk.document.selected())
            paintToken(p, *e);
    if (const auto* chosen = s.element(m_desk.document.selected()))
        paintToken(p, *chosen);
    if (hasFocus())
        p.fillRect(QRect(0, height() - 2, width(), 2), theme().ember);
}

void BalancePlane::move(double pan, double levelDb) {
    const Id id = m_desk.document.selected();
    const auto& s = m_desk.document.session();
    if (s.element(id) == nullptr)
        return;
    const auto& panInfo = session::field(session::outputFields(), "pan").info;
    const auto& levelInfo = session::field(session::outputFields(), "level_db").info;
    if (std::abs(pan) < 0.02)
        pan = 0; // the centre holds on a little
    m_desk.document.edit(
        session::withOutput(s, id,
                            [&](session::Output& out) {
                                out.pan = session::clampValue(panInfo, std::round(pan * 100) / 100);
                                out.levelDb = session::clampValue(levelInfo, std::round(levelDb * 10) / 10);
                            }),
        tr("Balance, %1").arg(QString::fromStdString(s.nameOf(id))), QStringLiteral("balance%1").arg(id));
}

void BalancePlane::mousePressEvent(QMouseEvent* event) {
    setFocus();
    const Id id = tokenAt(event->position());
    if (id == session::kNoId || event->button() != Qt::LeftButton)
        return;
    m_desk.document.select(id);
    m_dragged = id;
    m_grip = event->position() - anchor(id);
}

void BalancePlane::mouseMoveEvent(QMouseEvent* event) {
    if (m_dragged == session::kNoId) {
        setCursor(tokenAt(event->position()) == session::kNoId ? Qt::ArrowCursor : Qt::OpenHandCursor);
        return;
    }
    const QPointF to = event->position() - m_grip;
    const double db = dbAt(to.y());
    move(std::clamp(panAt(to.x()), -1.0, 1.0),
         db <= kBottomDb ? std::max(-80.0, kBottomDb + 4 * (db - kBottomDb)) : db);
}

void BalancePlane::mouseReleaseEvent(QMouseEvent*) {
    m_dragged = session::kNoId;
    m_desk.document.endMerge();
}

void BalancePlane::keyPressEvent(QKeyEvent* event) {
    const Id id = m_desk.document.selected();
    const auto* out = m_desk.document.session().output(id);
    if (out == nullptr)
        return;
    const double fine = (event->modifiers() & Qt::ShiftModifier) != 0 ? 0.2 : 1;
    switch (event->key()) {
    case Qt::Key_Up:
        move(out->pan, out->levelDb + 0.5 * fine);
        break;
    case Qt::Key_Down:
        move(out->pan, out->levelDb - 0.5 * fine);
        break;
    case Qt::Key_Left:
        move(out->pan - (std::abs(out->pan) < 0.021 ? 0.05 : 0.05 * fine), out->levelDb);
        break;
    case Qt::Key_Right:
        move(out->pan + (std::abs(out->pan) < 0.021 ? 0.05 : 0.05 * fine), out->levelDb);
        break;
    default:
        QWidget::keyPressEvent(event);
    }
}

void BalancePlane::wheelEvent(QWheelEvent* event) {
    const Id id = tokenAt(event->position());
    const auto& s = m_desk.document.session();
    const auto* e = s.element(id);
    if (e == nullptr || !e->isStereo())
        return;
    const auto& field = session::field(session::outputFields(), "width_percent");
    const double width = session::nudged(field.info, e->out.widthPercent, event->angleDelta().y() / 120.0);
    m_desk.document.edit(session::withOutput(s, id, [&](session::Output& out) { out.widthPercent = width; }),
                         tr("Width, %1").arg(QString::fromStdString(e->name)),
                         QStringLiteral("width%1").arg(id));
    event->accept();
}

} // namespace cask::app
