#include "app/strip/ride_lane.h"

#include "app/strip/ride_rule_box.h"
#include "app/theme/theme.h"
#include "core/session/sections.h"

#include <QAbstractItemView>
#include <QComboBox>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QPushButton>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

constexpr double kRideNearPx = 7;
constexpr double kLeastLevelDb = -24; // of a change that is shown
constexpr double kMostLevelDb = 12;
constexpr int kColumnX = 8;
constexpr int kColumnPx = 104;
constexpr int kRowPx = 27;

bool isLevel(const std::string& value) {
    return value.ends_with("level_db");
}

} // namespace

RideLane::RideLane(const Desk& desk, QWidget* strip)
    : QObject(strip), m_desk(desk), m_value(new QComboBox(strip)), m_snap(new QComboBox(strip)),
      m_copy(new QPushButton(tr("more\u2026"), strip)) {
    m_value->setAccessibleName(tr("Value that is ridden"));
    m_snap->setAccessibleName(tr("Points go to"));
    m_snap->addItems({tr("to bars"), tr("to beats"), tr("to hits"), tr("anywhere")});
    m_snap->setCurrentIndex(static_cast<int>(Snap::Beats));
    m_snap->setToolTip(tr("Where points go in time"));
    m_copy->setToolTip(
        tr("Drawn by a rule over hits; or as it is in the section at the playhead, in another one"));
    auto* menu = new QMenu(m_copy);
    m_copy->setMenu(menu);
    connect(menu, &QMenu::aboutToShow, this, &RideLane::fillCopyMenu);
    int y = 26;
    for (QWidget* widget :
         {static_cast<QWidget*>(m_value), static_cast<QWidget*>(m_snap), static_cast<QWidget*>(m_copy)}) {
        widget->setGeometry(kColumnX, y, kColumnPx, kRowPx - 3);
        widget->hide();
        y += kRowPx;
    }
    connect(m_value, &QComboBox::activated, this, [this] {
        m_wanted = m_value->currentData().toString().toStdString();
        emit changed();
    });
    for (const auto signal : {&Document::changed, &Document::opened, &Document::selectionChanged})
        connect(&desk.document, signal, this, &RideLane::refresh);
}

void RideLane::setOn(bool on) {
    m_isOn = on;
    for (QWidget* widget :
         {static_cast<QWidget*>(m_value), static_cast<QWidget*>(m_snap), static_cast<QWidget*>(m_copy)})
        widget->setVisible(on);
    refresh();
}

/// "module/value", so that the same value of another element is chosen when it is.
void RideLane::refresh() {
    if (!m_isOn)
        return;
    const auto& s = m_desk.document.session();
    const Id owner = m_desk.document.selected();
    const QString before = QString::fromStdString(m_wanted);
    const auto choices = session::rideChoices(s, owner);
    m_value->clear();
    for (const auto& choice : choices) {
        const bool isRidden = !session::pointsAt(s, choice.place).empty();
        m_value->addItem(
            (isRidden ? QStringLiteral("~ ") : QString()) + QString::fromStdString(choice.words),
            QStringLiteral("%1|%2").arg(choice.place.module).arg(QString::fromStdString(choice.place.value)));
        const QString key = m_value->itemData(m_value->count() - 1).toString();
        if (key == before || key == QStringLiteral("0|") + before)
            m_value->setCurrentIndex(m_value->count() - 1);
    }
    m_value->view()->setMinimumWidth(220);
    emit changed();
}

std::optional<session::RideChoice> RideLane::choice() const {
    const auto choices = session::rideChoices(m_desk.document.session(), m_desk.document.selected());
    const auto at = static_cast<std::size_t>(std::max(0, m_value->currentIndex()));
    return at < choices.size() ? std::optional(choices[at]) : std::nullopt;
}

double RideLane::snapped(double seconds) const {
    const auto* a = m_desk.hits.analysis();
    const auto snap = static_cast<Snap>(m_snap->currentIndex());
    if (a == nullptr || snap == Snap::Free)
        return std::max(0.0, seconds);
    if (snap == Snap::Hits) {
        double best = seconds;
        double nearest = 1e9;
        for (const int stroke : m_desk.hits.strokesOf(m_desk.document.selected())) {
            const double t = a->hits.strokes[static_cast<std::size_t>(stroke)].timeS;
            if (std::abs(t - seconds) < nearest) {
                nearest = std::abs(t - seconds);
                best = t;
            }
        }
        return best;
    }
    if (!a->tempo.isKnown)
        return std::max(0.0, seconds);
    const double step = snap == Snap::Bars ? a->tempo.beatsPerBar : 1;
    return std::max(0.0, a->tempo.timeOf(std::round(a->tempo.beatAt(seconds) / step) * step));
}

std::vector<session::RidePoint> RideLane::points() const {
    const auto chosen = choice();
    return chosen ? session::pointsAt(m_desk.document.session(), chosen->place)
                  : std::vector<session::RidePoint>();
}

std::pair<double, double> RideLane::span() const {
    const auto chosen = choice();
    if (!chosen)
        return {-1, 1};
    if (isLevel(chosen->place.value))
        return {kLeastLevelDb, kMostLevelDb};
    const double least = chosen->info->least - chosen->set;
    return {least, std::max(chosen->info->most - chosen->set, least + 1e-6)};
}

double RideLane::yOf(double change) const {
    const auto [least, most] = span();
    return m_axes.lane.bottom() - 3 -
           (std::clamp(change, least, most) - least) / (most - least) * (m_axes.lane.height() - 6);
}

double RideLane::changeAt(double y) const {
    const auto [least, most] = span();
    const double change =
        least + (m_axes.lane.bottom() - 3 - y) / (m_axes.lane.height() - 6) * (most - least);
    const double step = stepOf() / 5;
    return std::clamp(std::round(change / step) * step, least, most);
}

double RideLane::stepOf() const {
    const auto chosen = choice();
    const auto [least, most] = span();
    return chosen && isLevel(chosen->place.value) ? 0.5 : (most - least) / 100;
}

int RideLane::pointNear(QPointF at) const {
    const auto all = points();
    int best = -1;
    double nearest = kRideNearPx;
    for (std::size_t i = 0; i < all.size(); ++i) {
        const QPointF place(m_axes.xOf(all[i].timeS), yOf(all[i].change));
        if (const double d = std::hypot(place.x() - at.x(), place.y() - at.y()); d < nearest) {
            nearest = d;
            best = static_cast<int>(i);
        }
    }
    return best;
}

void RideLane::edit(std::vector<session::RidePoint> points, const QString& what, bool isDragging) {
    const auto chosen = choice();
    if (!chosen)
        return;
    const auto& s = m_desk.document.session();
    const QString key = QStringLiteral("ride %1 %2 %3")
                            .arg(chosen->place.owner)
                            .arg(chosen->place.module)
                            .arg(QString::fromStdString(chosen->place.value));
    m_desk.document.edit(session::withPoints(s, chosen->place, std::move(points)),
                         tr("%1 of %2, %3")
                             .arg(what, QString::fromStdString(chosen->words),
                                  QString::fromStdString(s.nameOf(chosen->place.owner))),
                         isDragging ? key : QString());
}

bool RideLane::press(const QMouseEvent& event) {
    if (!m_isOn || !m_axes.lane.contains(event.position()) || !choice())
        return false;
    auto all = points();
    const int near = pointNear(event.position());
    if (event.button() == Qt::RightButton) {
        if (near >= 0) {
            all.erase(all.begin() + near);
            edit(std::move(all), tr("Ride point removed"), false);
        }
        return true;
    }
    m_dragged = near;
    if (near < 0) {
        const double t = snapped(m_axes.secondsAt(event.position().x()));
        std::erase_if(all, [&](const session::RidePoint& p) { return std::abs(p.timeS - t) < 0.001; });
        all.push_back({t, changeAt(event.position().y())});
        edit(all, tr("Ride"), true);
        all = points();
        for (std::size_t i = 0; i < all.size(); ++i)
            if (std::abs(all[i].timeS - t) < 0.001)
                m_dragged = static_cast<int>(i);
    }
    return true;
}

bool RideLane::move(const QMouseEvent& event) {
    if (!m_isOn || m_dragged < 0)
        return false;
    auto all = points();
    if (m_dragged >= static_cast<int>(all.size()))
        return true;
    // Between its neighbours: points never pass each other.
    const auto at = static_cast<std::size_t>(m_dragged);
    double t = snapped(m_axes.secondsAt(event.position().x()));
    constexpr double kApartS = 0.002;
    if (at > 0)
        t = std::max(t, all[at - 1].timeS + kApartS);
    if (at + 1 < all.size())
        t = std::min(t, all[at + 1].timeS - kApartS);
    all[at] = {t, changeAt(event.position().y())};
    edit(std::move(all), tr("Ride"), true);
    return true;
}

bool RideLane::release(const QMouseEvent&) {
    if (!m_isOn || m_dragged < 0)
        return false;
    m_dragged = -1;
    m_desk.document.endMerge();
    return true;
}

void RideLane::nudge(int timeSteps, double changeSteps) {
    const auto chosen = choice();
    if (!chosen)
        return;
    const double at = m_desk.playback.positionS();
    if (timeSteps != 0) { // the playhead is the cursor
        const auto* a = m_desk.hits.analysis();
        const bool isByBeat = a != nullptr && a->tempo.isKnown;
        const double step = !isByBeat ? 0.1
                            : m_snap->currentIndex() == static_cast<int>(Snap::Bars)
                                ? a->tempo.timeOf(a->tempo.beatsPerBar) - a->tempo.timeOf(0)
                                : a->tempo.timeOf(1) - a->tempo.timeOf(0);
        m_desk.playback.locate(snapped(at + timeSteps * step));
        return;
    }
    const session::Ride ride{chosen->place.value, points(), {}};
    const auto [least, most] = span();
    const double change = std::clamp(session::rideAt(ride, at) + changeSteps * stepOf(), least, most);
    auto all = ride.points;
    std::erase_if(all, [&](const session::RidePoint& p) { return std::abs(p.timeS - at) < 0.02; });
    all.push_back({at, change});
    edit(std::move(all), tr("Ride"), true);
}

bool RideLane::key(int key, Qt::KeyboardModifiers modifiers) {
    if (!m_isOn || (modifiers & (Qt::ControlModifier | Qt::AltModifier)) != 0)
        return false;
    const double fine = (modifiers & Qt::ShiftModifier) != 0 ? 0.2 : 1;
    switch (key) {
    case Qt::Key_Left:
    case Qt::Key_Right:
        nudge(key == Qt::Key_Left ? -1 : 1, 0);
        return true;
    case Qt::Key_Up:
    case Qt::Key_Down:
        nudge(0, key == Qt::Key_Up ? fine : -fine);
        return true;
    case Qt::Key_Return:
    case Qt::Key_Enter:
        nudge(0, 0);
        return true;
    case Qt::Key_Delete: {
        auto all = points();
        const double at = m_desk.playback.positionS();
        const auto nearest = std::min_element(all.begin(), all.end(), [&](const auto& a, const auto& b) {
            return std::abs(a.timeS - at) < std::abs(b.timeS - at);
        });
        if (nearest != all.end()) {
            all.erase(nearest);
            edit(std::move(all), tr("Ride point removed"), false);
        }
        return true;
    }
    default:
        return false;
    }
}

void RideLane::fillCopyMenu() {
    auto* menu = m_copy->menu();
    menu->clear();
    const auto& s = m_desk.document.session();
    menu->addAction(tr("By a rule\u2026"), this, &RideLane::showRule)->setEnabled(choice().has_value());
    menu->addSeparator();
    const auto* here = session::sectionAt(s, m_desk.playback.positionS());
    for (const auto& section : s.sections)
        if (&section != here && here != nullptr)
            menu->addAction(
                tr("%1 as in %2")
                    .arg(QString::fromStdString(section.name), QString::fromStdString(here->name)),
                this, [this, name = section.name] { copyTo(name); });
    if (here == nullptr && !s.sections.empty())
        menu->addAction(tr("The playhead is in no section"))->setEnabled(false);
}

void RideLane::showRule() {
    const auto chosen = choice();
    if (!chosen)
        return;
    if (m_rule != nullptr)
        m_rule->close();
    m_rule = new RideRuleBox(m_desk, *chosen, m_copy->window());
    m_rule->setAttribute(Qt::WA_DeleteOnClose);
    m_rule->show();
}

RideRuleBox* RideLane::ruleBox() const {
    return m_rule;
}

void RideLane::copyTo(const std::string& name) {
    const auto& s = m_desk.document.session();
    const auto* here = session::sectionAt(s, m_desk.playback.positionS());
    const auto chosen = choice();
    if (here == nullptr || !chosen)
        return;
    auto next = s;
    for (const auto& section : s.sections)
        if (section.name == name && section.startS != here->startS)
            next = session::withPointsCopied(
                std::move(next), chosen->place, here->startS,
                here->startS + std::min(here->endS - here->startS, section.endS - section.startS),
                section.startS);
    m_desk.document.edit(next, tr("Ride copied to %1").arg(QString::fromStdString(name)));
}

void RideLane::paint(QPainter& p) const {
    const Theme& t = theme();
    const auto chosen = choice();
    const QRectF& lane = m_axes.lane;
    if (!chosen) {
        p.setPen(t.faint);
        p.drawText(lane, Qt::AlignCenter, tr("Nothing is selected that could be ridden"));
        return;
    }
    p.save();
    p.setClipRect(lane.adjusted(-4, 0, 4, 0));
    p.setRenderHint(QPainter::Antialiasing);
    const auto [least, most] = span();
    // As it is set: the line that a ride moves around.
    p.setPen(QPen(t.slate, 1, Qt::DashLine));
    p.drawLine(QPointF(lane.left(), yOf(0)), QPointF(lane.right(), yOf(0)));
    const auto all = points();
    if (!all.empty()) {
        QPolygonF way;
        way << QPointF(lane.left(), yOf(all.front().change));
        for (const auto& point : all)
            way << QPointF(m_axes.xOf(point.timeS), yOf(point.change));
        way << QPointF(lane.right(), yOf(all.back().change));
        p.setPen(QPen(t.ink, 1.8));
        p.setBrush(Qt::NoBrush);
        p.drawPolyline(way);
        for (const auto& point : all) {
            p.setPen(QPen(t.ink, 1.4));
            p.setBrush(t.paper);
            p.drawRect(QRectF(m_axes.xOf(point.timeS) - 3.5, yOf(point.change) - 3.5, 7, 7));
        }
    }
    p.restore();
    p.setFont(textFont(11));
    p.setPen(t.faint);
    // A level is ridden by so many dB; of all else, what the ride reaches.
    const auto text = [&](double change) {
        return pretty(session::formatValue(*chosen->info,
                                           isLevel(chosen->place.value) ? change : chosen->set + change));
    };
    for (const double change : {most, least}) { // over what the strip has there
        const QString said = text(change);
        const double width = p.fontMetrics().horizontalAdvance(said) + 8;
        const QRectF box(lane.right() - width, change == most ? lane.top() : lane.bottom() - 16, width, 16);
        p.fillRect(box, t.paper);
        p.drawText(box, Qt::AlignCenter, said);
    }
    if (!all.empty())
        return;
    const QString help =
        tr("Click to draw a ride of the %1; a right click removes a point. J goes back to the hits.")
            .arg(QString::fromStdString(chosen->words));
    const QRectF box(lane.left() + 8, lane.top() + 3, p.fontMetrics().horizontalAdvance(help) + 12, 17);
    p.fillRect(box, t.paper); // over the hits it could not be read
    p.setPen(t.ink);
    p.drawText(box, Qt::AlignCenter, help);
}

} // namespace cask::app
