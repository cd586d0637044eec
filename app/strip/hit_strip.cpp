#include "app/strip/hit_strip.h"

#include "core/session/markers.h"
#include "core/session/sections.h"

#include <QMenu>
#include <QMouseEvent>
#include <QWheelEvent>

#include <algorithm>
#include <cmath>
#include <utility>

namespace cask::app {
namespace {

constexpr double kLeastSpanS = 0.002;
constexpr double kDragPx = 4; // less is a click
constexpr double kMarkerPx = 5;

} // namespace

HitStrip::HitStrip(const Desk& desk, QWidget* parent)
    : QWidget(parent), m_desk(desk), m_rides(new RideLane(desk, this)) {
    setAccessibleName(tr("Hit strip"));
    setMinimumHeight(120);
    setToolTip(
        tr("Click: go there, or choose a hit (with Ctrl: one more). Drag a box: select hits. Double-click: "
           "play from there. Drag along the ruler: loop; a marker is moved. Wheel: zoom; Shift and wheel: "
           "move. Right "
           "click: select by class or section."));
    connect(&desk.document, &Document::changed, this, &HitStrip::refresh);
    connect(&desk.document, &Document::selectionChanged, this, &HitStrip::refresh);
    connect(&desk.document, &Document::opened, this, [this] {
        m_startS = m_spanS = 0;
        refresh();
    });
    connect(&desk.analyst, &Analyst::fileChanged, this, &HitStrip::refresh);
    connect(&desk.hits, &HitModel::hitsChanged, this, &HitStrip::refresh);
    connect(&desk.hits, &HitModel::choiceChanged, this, &HitStrip::refresh);
    connect(m_rides, &RideLane::changed, this, &HitStrip::refresh);
    connect(&desk.playback, &Playback::tick, this, &HitStrip::follow);
    connect(&desk.playback, &Playback::transportChanged, this, qOverload<>(&QWidget::update));
}

QRect HitStrip::lanesRect() const {
    return rect().adjusted(kLeftPx, kRulerPx, -12, -6);
}

double HitStrip::xOf(double seconds) const {
    const double span = m_spanS > 0 ? m_spanS : m_lengthS;
    return lanesRect().left() + (seconds - m_startS) / span * lanesRect().width();
}

double HitStrip::secondsAt(double x) const {
    const double span = m_spanS > 0 ? m_spanS : m_lengthS;
    return m_startS + (x - lanesRect().left()) / lanesRect().width() * span;
}

void HitStrip::refresh() {
    const auto& s = m_desk.document.session();
    m_lengthS = std::max(1.0, framesToSeconds(s.lengthFrames(), s.sampleRateHz));
    m_rides->setAxes({QRectF(lanesRect()), [this](double t) { return xOf(t); },
                      [this](double x) { return secondsAt(x); }});
    m_isStale = true;
    update();
}

void HitStrip::setRiding(bool on) {
    m_rides->setOn(on);
    setFocusPolicy(on ? Qt::StrongFocus : Qt::NoFocus);
    if (on)
        setFocus();
    refresh();
}

bool HitStrip::event(QEvent* event) {
    // While rides are drawn, arrows, Enter and Delete are theirs.
    if (event->type() == QEvent::ShortcutOverride && m_rides->isOn()) {
        const auto* key = static_cast<QKeyEvent*>(event);
        for (const int own : {Qt::Key_Left, Qt::Key_Right, Qt::Key_Up, Qt::Key_Down, Qt::Key_Return,
                              Qt::Key_Enter, Qt::Key_Delete})
            if (key->key() == own && (key->modifiers() & Qt::ControlModifier) == 0) {
                event->accept();
                return true;
            }
    }
    return QWidget::event(event);
}

void HitStrip::keyPressEvent(QKeyEvent* event) {
    if (m_rides->key(event->key(), event->modifiers()))
        return;
    QWidget::keyPressEvent(event);
}

void HitStrip::resizeEvent(QResizeEvent*) {
    refresh();
}

void HitStrip::follow() {
    // Turn the page when the playhead leaves what is in view.
    const double at = m_desk.playback.positionS();
    if (m_spanS > 0 && m_desk.playback.isPlaying() && (at < m_startS || at > m_startS + m_spanS)) {
        m_startS = std::clamp(at, 0.0, std::max(0.0, m_lengthS - m_spanS));
        refresh();
    }
    followGain();
    update();
}

/// What the gate of the chosen element did where it was played; on Punch its compressors.
void HitStrip::followGain() {
    constexpr std::size_t kMost = 20000; // some minutes
    const Id id = m_desk.document.selected();
    const auto* chain = m_desk.document.session().chain(id);
    const bool isPunch = m_desk.document.stage() == Stage::Punch;
    const auto* module = chain == nullptr ? nullptr
                         : isPunch        ? session::findModule<dsp::CompressorSettings>(*chain)
                                          : session::findModule<dsp::GateSettings>(*chain);
    if (id != m_gainElement || isPunch != m_isCompressorGain || module == nullptr) {
        m_gain.clear();
        m_gainElement = id;
        m_isCompressorGain = isPunch;
        return;
    }
    if (!m_desk.playback.isPlaying() || m_gain.size() >= kMost)
        return;
    const double at = m_desk.playback.positionS();
    auto& engine = m_desk.playback.engine();
    const double db = linearToDb(std::max(1e-5F, isPunch ? engine.compressorGain(id) : engine.gateGain(id)));
    // Played once more, what was there is gone.
    if (!m_gain.empty() && at < m_gain.back().x())
        std::erase_if(m_gain, [&](const QPointF& p) { return p.x() >= at; });
    m_gain.emplace_back(at, db);
}

void HitStrip::zoom(double factor, double aroundX) {
    const double around = secondsAt(aroundX);
    const double span = m_spanS > 0 ? m_spanS : m_lengthS;
    const double next = std::clamp(span * factor, kLeastSpanS, m_lengthS);
    m_spanS = next >= m_lengthS ? 0 : next;
    const double share = (aroundX - lanesRect().left()) / std::max(1, lanesRect().width());
    m_startS = m_spanS > 0 ? std::clamp(around - share * next, 0.0, m_lengthS - next) : 0;
    refresh();
}

void HitStrip::zoomTo(double fromS, double toS) {
    constexpr double kAround = 0.1; // of the stretch, on each side
    const double span = (toS - fromS) * (1 + 2 * kAround);
    m_spanS = toS <= fromS || span >= m_lengthS ? 0 : std::max(kLeastSpanS, span);
    m_startS = m_spanS > 0 ? std::clamp((fromS + toS - m_spanS) / 2, 0.0, m_lengthS - m_spanS) : 0;
    refresh();
}

bool HitStrip::isInView(double seconds) const {
    return seconds >= m_startS && seconds <= m_startS + (m_spanS > 0 ? m_spanS : m_lengthS);
}

double HitStrip::middleS() const {
    return m_startS + (m_spanS > 0 ? m_spanS : m_lengthS) / 2;
}

void HitStrip::mousePressEvent(QMouseEvent* event) {
    if (event->position().y() >= kRulerPx && m_rides->press(*event))
        return;
    if (event->button() != Qt::LeftButton)
        return;
    if (event->position().x() < kLeftPx) {
        // The names choose an element.
        if (const Id id = elementAt(event->position().y()); id != session::kNoId)
            m_desk.document.select(id);
        return;
    }
    m_press = event->position();
    m_before = m_desk.hits.selection();
    m_drag = event->position().y() < kRulerPx ? Drag::Loop : Drag::Box;
    const double nearS = secondsAt(m_press.x() + kMarkerPx) - secondsAt(m_press.x());
    if (const auto* marker = session::markerNear(m_desk.document.session(), secondsAt(m_press.x()), nearS);
        marker != nullptr && m_drag == Drag::Loop) {
        m_drag = Drag::Marker;
        m_markerS = marker->timeS;
    }
}

void HitStrip::chooseNear(QPointF at, bool isAdding) {
    const auto* a = m_desk.hits.analysis();
    if (a == nullptr)
        return;
    const Id element = elementAt(at.y());
    const int input = a->inputOf(element);
    int best = -1;
    double nearest = 5;
    for (const auto& h : m_desk.hits.heardIn(input))
        if (h.isOwn && h.stroke >= 0 && std::abs(xOf(h.timeS) - at.x()) < nearest) {
            nearest = std::abs(xOf(h.timeS) - at.x());
            best = h.stroke;
        }
    if (best < 0)
        return;
    if (isAdding) {
        m_desk.hits.toggleStroke(best);
        return;
    }
    m_desk.document.select(element);
    m_desk.hits.chooseStroke(best);
    m_desk.playback.locate(std::max(0.0, a->hits.strokes[static_cast<std::size_t>(best)].timeS - 0.005));
}

std::vector<HitStrip::Lane> HitStrip::lanes() const {
    const auto& s = m_desk.document.session();
    const QRect all = lanesRect();
    double y = all.top();
    const double unit = all.height() / (static_cast<double>(s.elements.size()) - 1 + kChosenTimes);
    std::vector<Lane> lanes;
    if (m_rides->isOn()) // one alone, with room to draw
        return {{m_desk.document.selected(), QRectF(all)}};
    for (const auto& e : s.elements) {
        const double h = unit * (e->id == m_desk.document.selected() ? kChosenTimes : 1);
        lanes.push_back({e->id, QRectF(all.left(), y, all.width(), h)});
        y += h;
    }
    return lanes;
}

Id HitStrip::elementAt(double y) const {
    for (const auto& lane : lanes())
        if (y >= lane.rect.top() && y < lane.rect.bottom())
            return lane.element;
    return session::kNoId;
}

std::set<int> HitStrip::strokesIn(const QRectF& box) const {
    std::set<int> strokes;
    const auto* a = m_desk.hits.analysis();
    if (a == nullptr)
        return strokes;
    for (const auto& lane : lanes()) {
        const int input = a->inputOf(lane.element);
        if (input < 0 || lane.rect.bottom() < box.top() || lane.rect.top() > box.bottom())
            continue;
        for (const auto& h : m_desk.hits.heardIn(input))
            if (h.isOwn && h.stroke >= 0 && xOf(h.timeS) >= box.left() && xOf(h.timeS) <= box.right())
                strokes.insert(h.stroke);
    }
    return strokes;
}

void HitStrip::mouseMoveEvent(QMouseEvent* event) {
    if (m_rides->move(*event))
        return;
    const QPointF at = event->position();
    const auto timeOf = [&](double x) { return std::clamp(secondsAt(x), 0.0, m_lengthS); };
    if (m_drag == Drag::Loop && std::abs(at.x() - m_press.x()) > kDragPx) {
        const double fromS = timeOf(m_press.x());
        const double toS = timeOf(at.x());
        m_desk.playback.setLoop(std::min(fromS, toS), std::max(fromS, toS));
    } else if (m_drag == Drag::Marker && std::abs(at.x() - m_press.x()) > kDragPx) {
        const double toS = timeOf(at.x());
        m_desk.document.edit(session::withMarkerMoved(m_desk.document.session(), m_markerS, toS),
                             tr("Move marker"), QStringLiteral("marker"));
        m_markerS = toS;
    } else if (m_drag == Drag::Box && (!m_box.isNull() || (at - m_press).manhattanLength() > kDragPx)) {
        m_box = QRectF(m_press, at).normalized();
        auto strokes = strokesIn(m_box);
        if ((event->modifiers() & Qt::ControlModifier) != 0)
            strokes.insert(m_before.begin(), m_before.end());
        m_desk.hits.select(std::move(strokes));
        update();
    }
}

void HitStrip::mouseReleaseEvent(QMouseEvent* event) {
    if (m_rides->release(*event))
        return;
    const auto drag = std::exchange(m_drag, Drag::None);
    const bool wasBox = !std::exchange(m_box, QRectF()).isNull();
    update();
    const double pressS = std::clamp(secondsAt(m_press.x()), 0.0, m_lengthS);
    if (drag == Drag::Marker) {
        if (std::abs(event->position().x() - m_press.x()) <= kDragPx)
            m_desk.playback.locate(m_markerS);
        m_desk.document.endMerge();
    } else if (drag == Drag::Loop && std::abs(event->position().x() - m_press.x()) <= kDragPx) {
        m_desk.playback.clearLoop();
        m_desk.playback.locate(pressS);
    } else if (drag == Drag::Box && !wasBox) {
        const bool isAdding = (event->modifiers() & Qt::ControlModifier) != 0;
        if (!isAdding)
            m_desk.playback.locate(pressS);
        chooseNear(m_press, isAdding);
    }
}

void HitStrip::contextMenuEvent(QContextMenuEvent* event) {
    if (m_rides->isOn())
        return; // a right click takes a point out
    auto* menu = new QMenu(this);
    menu->setAttribute(Qt::WA_DeleteOnClose);
    fillSelectionMenu(*menu, m_desk, std::clamp(secondsAt(event->pos().x()), 0.0, m_lengthS));
    menu->popup(event->globalPos());
}

void HitStrip::mouseDoubleClickEvent(QMouseEvent* event) {
    if (event->position().x() >= kLeftPx)
        m_desk.playback.playFrom(std::clamp(secondsAt(event->position().x()), 0.0, m_lengthS));
}

void HitStrip::wheelEvent(QWheelEvent* event) {
    const double steps = event->angleDelta().y() / 120.0;
    if ((event->modifiers() & Qt::ShiftModifier) != 0 || event->angleDelta().x() != 0) {
        const double delta = steps != 0 ? steps : event->angleDelta().x() / 120.0;
        m_startS = m_spanS > 0 ? std::clamp(m_startS - 0.15 * delta * m_spanS, 0.0, m_lengthS - m_spanS) : 0;
        refresh();
    } else {
        zoom(std::pow(0.8, steps), event->position().x());
    }
    event->accept();
}

void fillSelectionMenu(QMenu& menu, const Desk& desk, double atS) {
    const Id element = desk.document.selected();
    const auto& s = desk.document.session();
    const QString name = QString::fromStdString(s.nameOf(element));
    const auto add = [&](const QString& words, std::set<int> strokes) {
        if (strokes.empty())
            return;
        menu.addAction(QObject::tr("%1 (%2)").arg(words).arg(strokes.size()), &desk.hits,
                       [&hits = desk.hits, strokes] { hits.select(strokes); });
    };
    auto own = desk.hits.strokesOf(element);
    add(QObject::tr("All hits of %1").arg(name), own);
    for (int c = 0; c < measure::kHitClasses; ++c) {
        const auto hitClass = static_cast<measure::HitClass>(c);
        const auto word = measure::hitClassName(hitClass);
        add(QObject::tr("%1: %2").arg(name, QString::fromLatin1(word.data(), static_cast<int>(word.size()))),
            desk.hits.strokesOf(element, [&](const auto& hit) { return hit.hitClass == hitClass; }));
    }
    if (const auto* section = session::sectionAt(s, atS)) {
        const auto isInside = [&](const measure::DrumHit& hit) {
            return hit.timeS >= section->startS && hit.timeS < section->endS;
        };
        const QString where = QString::fromStdString(section->name);
        add(QObject::tr("%1 in %2").arg(name, where), desk.hits.strokesOf(element, isInside));
        add(QObject::tr("Everything in %1").arg(where), desk.hits.strokesOf(session::kNoId, isInside));
    }
    std::set<int> among;
    for (const int stroke : own)
        if (desk.hits.isSelected(stroke))
            among.insert(stroke);
    if (among.size() != desk.hits.selection().size())
        add(QObject::tr("Of those selected, only %1").arg(name), among);
    if (!desk.hits.selection().empty())
        menu.addAction(QObject::tr("Select nothing"), &desk.hits, [&hits = desk.hits] { hits.select({}); });
    if (menu.isEmpty())
        menu.addAction(QObject::tr("No hits are known yet"))->setEnabled(false);
}

} // namespace cask::app
