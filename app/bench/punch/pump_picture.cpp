#include "app/bench/punch/pump_picture.h"

#include "app/picture/picture_paint.h"
#include "app/theme/theme.h"
#include "core/graph/plan.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

constexpr double kReach = 10; // of a point, pixels
constexpr double kStepPercent = 1;

} // namespace

PumpPicture::PumpPicture(const Desk& desk, QWidget* parent) : QWidget(parent), m_desk(desk) {
    setAccessibleName(tr("Gain over the note"));
    setToolTip(tr(
        "The gain over one note, as it is heard. Points are dragged; a double click adds one, Delete takes "
        "the chosen one away, arrow keys move it, Page Up and Page Down choose another"));
    setMinimumHeight(160);
    setFocusPolicy(Qt::StrongFocus);
}

void PumpPicture::showModule(const ModuleAt& at) {
    if (at.module != m_at.module)
        m_chosen = -1;
    m_at = at;
    update();
}

QRectF PumpPicture::plot() const {
    return QRectF(rect()).adjusted(44, 28, -14, -22);
}

const dsp::PumpSettings* PumpPicture::settings() const {
    const auto* m = findModule(m_desk.document.session(), m_at);
    return m == nullptr ? nullptr : std::get_if<dsp::PumpSettings>(&m->settings);
}

std::vector<dsp::PumpPoint> PumpPicture::points() const {
    const auto* s = settings();
    if (s == nullptr)
        return {};
    return s->points.empty() ? std::vector<dsp::PumpPoint>{{0, 0, 0}, {0, 70, 100}} : s->points;
}

QPointF PumpPicture::placeOf(const dsp::PumpPoint& point) const {
    const QRectF r = plot();
    return {r.left() + 0.01 * point.placePercent * r.width(),
            r.bottom() - 0.01 * point.openPercent * r.height()};
}

int PumpPicture::pointAt(const QPointF& position) const {
    const auto all = points();
    int nearest = -1;
    double least = kReach;
    for (std::size_t i = 0; i < all.size(); ++i) {
        const QPointF off = placeOf(all[i]) - position;
        if (const double away = std::hypot(off.x(), off.y()); away < least) {
            least = away;
            nearest = static_cast<int>(i);
        }
    }
    return nearest;
}

void PumpPicture::edit(const std::vector<dsp::PumpPoint>& points, const QString& label, bool isDragging) {
    auto next = m_desk.document.session();
    auto all = points;
    for (auto& point : all)
        if (point.id == 0)
            point.id = next.nextId++;
    next = session::withModule(std::move(next), m_at.module, [&](session::Module& m) {
        auto* s = std::get_if<dsp::PumpSettings>(&m.settings);
        if (s == nullptr)
            return;
        for (const auto& old : s->points)
            if (std::none_of(all.begin(), all.end(), [&](const auto& p) { return p.id == old.id; }))
                session::forgetItem(m, old.id);
        s->points = all;
    });
    m_desk.document.edit(std::move(next), label,
                         isDragging ? QStringLiteral("pump-%1-%2").arg(m_at.module).arg(m_chosen)
                                    : QString());
    update();
}

void PumpPicture::move(int point, double placePercent, double openPercent, bool isDragging) {
    auto all = points();
    if (point < 0 || point >= static_cast<int>(all.size()))
        return;
    auto& moved = all[static_cast<std::size_t>(point)];
    moved.placePercent = std::clamp(std::round(10 * placePercent) / 10, 0.0, 100.0);
    moved.openPercent = std::clamp(std::round(10 * openPercent) / 10, 0.0, 100.0);
    edit(all, tr("Move a point of the pump"), isDragging);
}

void PumpPicture::mousePressEvent(QMouseEvent* event) {
    m_chosen = pointAt(event->position());
    m_isDragging = m_chosen >= 0;
    update();
}

void PumpPicture::mouseMoveEvent(QMouseEvent* event) {
    if (!m_isDragging)
        return;
    const QRectF r = plot();
    const QPointF at = event->position();
    move(m_chosen, 100 * (at.x() - r.left()) / r.width(), 100 * (r.bottom() - at.y()) / r.height(), true);
}

void PumpPicture::mouseReleaseEvent(QMouseEvent* /*event*/) {
    m_isDragging = false;
}

void PumpPicture::mouseDoubleClickEvent(QMouseEvent* event) {
    auto all = points();
    const QRectF r = plot();
    if (settings() == nullptr || pointAt(event->position()) >= 0 || all.size() >= dsp::kMostPumpPoints)
        return;
    all.push_back({0, 0, 0});
    m_chosen = static_cast<int>(all.size()) - 1;
    auto& added = all.back();
    added.placePercent =
        std::clamp(std::round(100 * (event->position().x() - r.left()) / r.width()), 0.0, 100.0);
    added.openPercent =
        std::clamp(std::round(100 * (r.bottom() - event->position().y()) / r.height()), 0.0, 100.0);
    edit(all, tr("Add a point to the pump"), false);
}

void PumpPicture::keyPressEvent(QKeyEvent* event) {
    auto all = points();
    const int count = static_cast<int>(all.size());
    const auto chosen =
        m_chosen >= 0 && m_chosen < count ? all[static_cast<std::size_t>(m_chosen)] : dsp::PumpPoint{};
    const bool has = m_chosen >= 0 && m_chosen < count;
    switch (event->key()) {
    case Qt::Key_PageDown:
    case Qt::Key_PageUp:
        if (count > 0)
            m_chosen =
                (m_chosen + (event->key() == Qt::Key_PageDown ? 1 : count - (m_chosen < 0 ? 0 : 1))) % count;
        update();
        return;
    case Qt::Key_Delete:
        if (has && count > 1) {
            all.erase(all.begin() + m_chosen);
            m_chosen = -1;
            edit(all, tr("Remove a point of the pump"), false);
        }
        return;
    case Qt::Key_Left:
    case Qt::Key_Right:
        if (has)
            move(m_chosen,
                 chosen.placePercent + (event->key() == Qt::Key_Right ? kStepPercent : -kStepPercent),
                 chosen.openPercent, true);
        return;
    case Qt::Key_Up:
    case Qt::Key_Down:
        if (has)
            move(m_chosen, chosen.placePercent,
                 chosen.openPercent + (event->key() == Qt::Key_Up ? kStepPercent : -kStepPercent), true);
        return;
    default:
        QWidget::keyPressEvent(event);
    }
}

void PumpPicture::paintEvent(QPaintEvent* /*event*/) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    paintGround(p, rect(), tr("Gain over the note"));
    const auto* s = settings();
    if (s == nullptr)
        return;
    const auto& t = theme();
    const QRectF r = plot();
    const auto& session = m_desk.document.session();
    const auto grid = graph::beatGridOf(session);
    p.setFont(textFont(11));
    const int beats =
        std::max(1, static_cast<int>(std::lround(4 * dsp::pumpBeats(s->note, grid.beatsPerBar))));
    for (int i = 0; i <= beats; ++i) { // sixteenths
        const double x = r.left() + r.width() * i / beats;
        p.setPen(QPen(t.line, i % 4 == 0 ? 1.4 : 0.7));
        p.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()));
    }
    p.setPen(t.slate);
    for (const double share : {0.0, 0.5, 1.0})
        p.drawText(QRectF(0, r.bottom() - share * r.height() - 8, r.left() - 6, 16),
                   Qt::AlignRight | Qt::AlignVCenter,
                   share == 1 ? tr("0 dB") : QString::number(-s->depthDb * (1 - share), 'f', 1));
    const dsp::PumpCurve curve(*s);
    const double noteS =
        grid.isKnown() ? grid.framesAt(0) * dsp::pumpBeats(s->note, grid.beatsPerBar) / session.sampleRateHz
                       : 0.5;
    QPainterPath path;
    for (double x = 0; x <= r.width(); x += 1) {
        const double db = curve.gainDb(std::min(0.9999, x / r.width()), 0.001 * s->smoothMs / noteS);
        const double open = s->depthDb > 0 ? 1 + db / s->depthDb : 1;
        const QPointF at(r.left() + x, r.bottom() - open * r.height());
        x == 0 ? path.moveTo(at) : path.lineTo(at);
    }
    QPainterPath area = path;
    area.lineTo(r.right(), r.top());
    area.lineTo(r.left(), r.top());
    area.closeSubpath();
    p.fillPath(area, t.tealSoft);
    p.strokePath(path, QPen(t.teal, 2));
    const auto all = points();
    for (std::size_t i = 0; i < all.size(); ++i) {
        const bool isChosen = static_cast<int>(i) == m_chosen;
        p.setPen(QPen(isChosen ? t.ochre : t.slate, isChosen ? 2.5 : 1.4));
        p.setBrush(t.paper);
        p.drawRect(QRectF(placeOf(all[i]) - QPointF(4, 4), QSizeF(8, 8)));
    }
    p.setPen(t.slate);
    const QString below =
        grid.isKnown() ? tr("one note: %1 ms at the first beat; it follows the take's beats")
                             .arg(std::lround(1000 * noteS))
                       : tr("no beats are known: it stays open. Type a tempo in Hits, or keep its finding");
    p.drawText(QRectF(r.left(), r.bottom() + 3, r.width(), 16), Qt::AlignRight, below);
}

} // namespace cask::app
