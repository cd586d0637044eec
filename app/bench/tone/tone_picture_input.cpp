// Mouse and keys on the Tone picture: moves are dragged, nudged, added, hunted for.
#include "app/bench/tone/tone_picture.h"
#include "core/dsp/eq_design.h"
#include "core/graph/module_sections.h"
#include "core/session/parameters.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QWheelEvent>

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

using dsp::EqBand;
using dsp::FilterKind;

constexpr double kHuntDb = 12;
constexpr double kHuntQ = 8;
constexpr double kFoundCutDb = -4;
constexpr double kFoundQ = 4;

double qOfEdge(double ratio) {
    ratio = std::max(1.0005, ratio);
    return ratio / (ratio * ratio - 1);
}

} // namespace

/// Steps of one drag, or keys held down, are one of the history.
void TonePicture::change(const QString& what, const std::function<void(EqBand&)>& edit) {
    m_eq.changeBand(what, edit, QStringLiteral("band"));
}

void TonePicture::mousePressEvent(QMouseEvent* event) {
    setFocus();
    if (m_huntedHz > 0) {
        cutHunted();
        return;
    }
    const auto [id, grip] = gripAt(event->position());
    if (id == session::kNoId || event->button() != Qt::LeftButton)
        return;
    m_eq.chooseBand(id);
    m_grip = grip;
    m_dragFrom = event->position();
    if (const auto* b = m_eq.band())
        m_dragBand = *b;
}

void TonePicture::mouseMoveEvent(QMouseEvent* event) {
    m_pointer = event->position();
    if (m_huntedHz > 0) {
        hunt(hzAt(event->position().x()));
        return;
    }
    if (m_grip == Grip::None) {
        const auto grip = gripAt(event->position()).second;
        setCursor(grip == Grip::None    ? Qt::ArrowCursor
                  : grip == Grip::Bar   ? Qt::SizeAllCursor
                  : grip == Grip::Range ? Qt::SizeVerCursor
                                        : Qt::SizeHorCursor);
        update();
        return;
    }
    dragTo(event->position(), (event->modifiers() & Qt::ShiftModifier) != 0 ? 0.2 : 1);
}

void TonePicture::dragTo(const QPointF& at, double fine) {
    const QPointF moved = fine * (at - m_dragFrom);
    const double factor = std::pow(kHighestShownHz / kLowestShownHz, moved.x() / plot().width());
    const double db = -moved.y() / pixelsPerDb();
    change(m_grip == Grip::Bar     ? tr("Move")
           : m_grip == Grip::Range ? tr("Range")
                                   : tr("Width"),
           [&](EqBand& b) {
               if (m_grip == Grip::Range) {
                   b.rangeDb = std::round(10 * (m_dragBand.rangeDb + db)) / 10;
               } else if (m_grip == Grip::Bar) {
                   b.frequencyHz = m_dragBand.frequencyHz * factor;
                   if (session::appliesTo("gain_db", b.kind))
                       b.gainDb = std::round(10 * (m_dragBand.gainDb + db)) / 10;
                   else if (dsp::isPass(b.kind)) // up and down: steeper and gentler
                       b.slopeDbPerOct = m_dragBand.slopeDbPerOct + 6 * std::round(moved.y() / 30);
               } else {
                   const double sign = m_grip == Grip::HighEdge ? 1 : -1;
                   b.q = qOfEdge(edgeRatio(m_dragBand.q) * std::pow(factor, sign));
               }
           });
}

/// A narrow boost follows the pointer; the element stays as loud as its own hits were.
void TonePicture::hunt(double hz) {
    m_huntedHz = std::clamp(hz, 2 * kLowestShownHz, kHighestShownHz / 2);
    EqBand boost;
    boost.frequencyHz = m_huntedHz;
    boost.gainDb = kHuntDb;
    boost.q = kHuntQ;
    const auto* tone = m_desk.tones.tone(m_desk.document.selected());
    const double rate = m_desk.document.session().sampleRateHz;
    double levelDb = -kHuntDb / 2;
    if (tone != nullptr) {
        const auto sections = dsp::designBand(boost, rate);
        levelDb = -measure::energyChangeDb(tone->spectra.own,
                                           [&](double f) { return dsp::responseDb(sections, f, rate); });
    }
    const double half = edgeRatio(kHuntQ);
    m_desk.playback.hearBand(
        BandAudition{m_desk.document.selected(), m_huntedHz / half, m_huntedHz * half, kHuntDb, levelDb});
    update();
}

void TonePicture::cutHunted() {
    EqBand cut;
    cut.frequencyHz = std::round(m_huntedHz);
    cut.gainDb = kFoundCutDb;
    cut.q = kFoundQ;
    m_eq.addBand(cut);
}

void TonePicture::mouseReleaseEvent(QMouseEvent*) {
    m_grip = Grip::None;
    m_desk.document.endMerge();
}

void TonePicture::mouseDoubleClickEvent(QMouseEvent* event) {
    if (!plot().contains(event->position()) || gripAt(event->position()).first != session::kNoId)
        return;
    const double hz = hzAt(event->position().x());
    const double gain = (yOf(before(hz)) - event->position().y()) / pixelsPerDb();
    m_eq.addBand(FilterKind::Bell, hz, std::clamp(std::round(2 * gain) / 2, -18.0, 18.0));
}

void TonePicture::wheelEvent(QWheelEvent* event) {
    const auto id = gripAt(event->position()).first;
    if (id != session::kNoId)
        m_eq.chooseBand(id);
    if (m_eq.band() == nullptr)
        return;
    change(tr("Width"), [&](EqBand& b) { b.q *= std::pow(1.1, event->angleDelta().y() / 120.0); });
    event->accept();
}

/// Tone's keys come before those of the menu: G, S and Enter are only ours while the picture has the focus.
bool TonePicture::event(QEvent* event) {
    if (event->type() == QEvent::ShortcutOverride) {
        const auto* key = static_cast<QKeyEvent*>(event);
        for (const int own :
             {Qt::Key_B, Qt::Key_G, Qt::Key_H, Qt::Key_N, Qt::Key_P, Qt::Key_S, Qt::Key_V, Qt::Key_Delete})
            if (key->key() == own && (key->modifiers() & ~Qt::ShiftModifier) == 0)
                event->accept();
    }
    return QWidget::event(event);
}

bool TonePicture::moveByKey(int key, double fine) {
    if (m_eq.band() == nullptr)
        return false;
    switch (key) {
    case Qt::Key_Up:
        change(tr("Gain"), [&](EqBand& b) { b.gainDb += 0.5 * fine; });
        return true;
    case Qt::Key_Down:
        change(tr("Gain"), [&](EqBand& b) { b.gainDb -= 0.5 * fine; });
        return true;
    case Qt::Key_Right:
        change(tr("Frequency"), [&](EqBand& b) { b.frequencyHz *= std::pow(2, fine / 24); });
        return true;
    case Qt::Key_Left:
        change(tr("Frequency"), [&](EqBand& b) { b.frequencyHz /= std::pow(2, fine / 24); });
        return true;
    case Qt::Key_Plus:
    case Qt::Key_Equal:
        change(tr("Width"), [](EqBand& b) { b.q /= 1.1; });
        return true;
    case Qt::Key_Minus:
        change(tr("Width"), [](EqBand& b) { b.q *= 1.1; });
        return true;
    case Qt::Key_Delete:
    case Qt::Key_Backspace:
        m_eq.removeChosen();
        return true;
    case Qt::Key_N: {
        const auto list = m_eq.bands();
        const auto it = std::find_if(list.begin(), list.end(),
                                     [&](const EqBand& b) { return b.id == m_eq.chosenBand(); });
        m_eq.chooseBand(it == list.end() || it + 1 == list.end() ? list.front().id : (it + 1)->id);
        return true;
    }
    default:
        return false;
    }
}

void TonePicture::keyPressEvent(QKeyEvent* event) {
    const bool isFirst = !event->isAutoRepeat();
    if (event->key() == Qt::Key_H && isFirst)
        emit hearKey(true);
    else if (event->key() == Qt::Key_S && isFirst)
        emit orderKey(true);
    else if (event->key() == Qt::Key_P && isFirst)
        emit bypassKey(true);
    else if (event->key() == Qt::Key_G && isFirst)
        hunt(plot().contains(m_pointer) ? hzAt(m_pointer.x()) : 400);
    else if (m_huntedHz > 0 && (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter))
        cutHunted();
    else if (event->key() == Qt::Key_V)
        setBeside(static_cast<Beside>((static_cast<int>(m_beside) + 1) % 4));
    else if (event->key() == Qt::Key_B)
        m_eq.addBand(FilterKind::Bell, 1000, 0);
    else if (!moveByKey(event->key(), (event->modifiers() & Qt::ShiftModifier) != 0 ? 0.2 : 1))
        QWidget::keyPressEvent(event);
}

void TonePicture::keyReleaseEvent(QKeyEvent* event) {
    if (event->isAutoRepeat())
        return;
    if (event->key() == Qt::Key_H) {
        emit hearKey(false);
    } else if (event->key() == Qt::Key_S) {
        emit orderKey(false);
    } else if (event->key() == Qt::Key_P) {
        emit bypassKey(false);
    } else if (event->key() == Qt::Key_G && m_huntedHz > 0) {
        m_huntedHz = 0;
        m_desk.playback.hearBand(std::nullopt);
        update();
    } else {
        m_desk.document.endMerge();
    }
}

void TonePicture::focusOutEvent(QFocusEvent* event) {
    if (m_huntedHz > 0) { // the key's end will not be seen
        m_huntedHz = 0;
        m_desk.playback.hearBand(std::nullopt);
    }
    QWidget::focusOutEvent(event);
}

void TonePicture::leaveEvent(QEvent*) {
    m_pointer = {-1, -1};
    update();
}

} // namespace cask::app
