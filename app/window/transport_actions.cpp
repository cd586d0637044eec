// Where it plays: pre-roll, selected stretches, loops, markers, places that are typed, zoom.
#include "app/strip/hit_strip.h"
#include "app/window/main_window.h"
#include "app/window/menu_entry.h"
#include "core/measure/hits/place_text.h"
#include "core/session/markers.h"
#include "core/session/sections.h"

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

constexpr double kBarWithoutTempoS = 2;
constexpr double kBeforeS = 0.05; // of a stretch that is played
constexpr double kAfterS = 0.4;
constexpr double kZoomStep = 1.5;

} // namespace

void MainWindow::addTransportActions(QMenu* menu) {
    addEntry(menu, tr("Go to a bar or a time\u2026"), QKeySequence(Qt::SHIFT | Qt::Key_G), this,
             [this] { locateTyped(); });
    addEntry(menu, tr("Play the selected stretch"), QKeySequence(Qt::SHIFT | Qt::Key_Space), this, [this] {
        if (m_playback->isAuditioning())
            m_playback->endAudition();
        else if (const auto stretch = selectedStretch())
            m_playback->audition({{}, std::max(0.0, stretch->first - kBeforeS), stretch->second + kAfterS});
    });
    addEntry(menu, tr("Loop the selected stretch, in whole bars"), QKeySequence(Qt::SHIFT | Qt::Key_O), this,
             [this] { loopSelected(); });
    auto* preroll = menu->addAction(tr("Begin a bar early"));
    preroll->setCheckable(true);
    preroll->setShortcut(QKeySequence(Qt::Key_I));
    const auto setPreroll = [this, preroll] {
        m_playback->setPreroll(preroll->isChecked() ? barLengthS(m_playback->positionS()) : 0);
    };
    connect(preroll, &QAction::toggled, this, setPreroll);
    connect(&m_hits, &HitModel::hitsChanged, this, setPreroll);
    menu->addSeparator();
    addEntry(menu, tr("Set a marker at the playhead\u2026"), QKeySequence(Qt::Key_Y), this, [this] {
        const double at = m_playback->positionS();
        const auto number = m_document.session().markers.size() + 1;
        withName(tr("Name of the marker"), tr("marker %1").arg(number), [this, at](const QString& name) {
            m_document.edit(session::withMarker(m_document.session(), at, name.toStdString()),
                            tr("Marker %1").arg(name));
        });
    });
    addEntry(menu, tr("Next marker"), QKeySequence(Qt::CTRL | Qt::Key_Period), this,
             [this] { jumpMarker(1); });
    addEntry(menu, tr("Previous marker"), QKeySequence(Qt::CTRL | Qt::Key_Comma), this,
             [this] { jumpMarker(-1); });
    addEntry(menu, tr("Rename the marker here\u2026"), QKeySequence(Qt::SHIFT | Qt::Key_Y), this, [this] {
        if (const auto* marker = markerHere())
            withName(tr("Name of the marker"), QString::fromStdString(marker->name),
                     [this, at = marker->timeS](const QString& name) {
                         m_document.edit(
                             session::withMarkerNamed(m_document.session(), at, name.toStdString()),
                             tr("Rename marker"));
                     });
    });
    addEntry(menu, tr("Remove the marker here"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Y), this,
             [this] {
                 if (const auto* marker = markerHere())
                     m_document.edit(session::withoutMarker(m_document.session(), marker->timeS),
                                     tr("Remove marker"));
             });
}

void MainWindow::addZoomActions(QMenu* menu) {
    const auto zoom = [this](double factor) {
        m_strip->zoom(factor,
                      m_strip->xOf(m_strip->isInView(m_playback->positionS()) ? m_playback->positionS()
                                                                              : m_strip->middleS()));
    };
    addEntry(menu, tr("Zoom the strip in"), QKeySequence(Qt::CTRL | Qt::Key_Plus), this,
             [zoom] { zoom(1 / kZoomStep); });
    addEntry(menu, tr("Zoom the strip out"), QKeySequence(Qt::CTRL | Qt::Key_Minus), this,
             [zoom] { zoom(kZoomStep); });
    auto* rides = menu->addAction(tr("Draw rides on the strip"));
    rides->setCheckable(true);
    rides->setShortcut(QKeySequence(Qt::Key_J));
    connect(rides, &QAction::toggled, m_strip, &HitStrip::setRiding);
    addEntry(menu, tr("Zoom to the selected stretch"), QKeySequence(Qt::Key_Z), this, [this] {
        if (const auto stretch = selectedStretch())
            m_strip->zoomTo(stretch->first, stretch->second);
    });
    addEntry(menu, tr("Show everything on the strip"), QKeySequence(Qt::SHIFT | Qt::Key_Z), this,
             [this] { m_strip->zoomTo(0, 0); });
}

double MainWindow::barLengthS(double atS) const {
    const auto* a = m_hits.analysis();
    if (a == nullptr || !a->tempo.isKnown)
        return kBarWithoutTempoS;
    const double beat = a->tempo.beatAt(atS);
    return a->tempo.timeOf(beat) - a->tempo.timeOf(beat - a->tempo.beatsPerBar);
}

std::optional<std::pair<double, double>> MainWindow::selectedStretch() {
    const auto* a = m_hits.analysis();
    if (a != nullptr && !m_hits.selection().empty()) {
        std::pair<double, double> stretch(1e9, 0);
        for (const int stroke : m_hits.selection()) {
            const double t = a->hits.strokes[static_cast<std::size_t>(stroke)].timeS;
            stretch = {std::min(stretch.first, t), std::max(stretch.second, t)};
        }
        return stretch;
    }
    if (m_playback->hasLoop())
        return std::pair(m_playback->loopStartS(), m_playback->loopEndS());
    if (const auto* section = session::sectionAt(m_document.session(), m_playback->positionS()))
        return std::pair(section->startS, section->endS);
    m_document.addNote(
        tr("Nothing is selected: select hits on the strip, set a loop, or go into a section."));
    return std::nullopt;
}

void MainWindow::loopSelected() {
    const auto stretch = selectedStretch();
    if (!stretch)
        return;
    auto [from, to] = *stretch;
    const auto* a = m_hits.analysis();
    if (a != nullptr && a->tempo.isKnown && !m_hits.selection().empty()) {
        constexpr double kOnTheLine = 0.1; // of a beat: a hit a little early belongs to the bar
        const int beats = a->tempo.beatsPerBar;
        const double first = std::floor((a->tempo.beatAt(from) + kOnTheLine) / beats);
        const double last = std::floor((a->tempo.beatAt(to) + kOnTheLine) / beats) + 1;
        from = std::max(0.0, a->tempo.timeOf(first * beats));
        to = a->tempo.timeOf(last * beats);
    }
    if (to - from < 0.01)
        to = from + kAfterS;
    m_playback->setLoop(from, to);
}

void MainWindow::locateTyped() {
    const auto* a = m_hits.analysis();
    const measure::Tempo tempo = a == nullptr ? measure::Tempo() : a->tempo;
    withName(tr("Go to (bar, bar.beat, or a time)"), {}, [this, tempo](const QString& typed) {
        const auto place = measure::parsePlace(typed.toStdString(), tempo);
        if (!place) {
            m_document.addNote(QString::fromStdString(place.error().message));
            return;
        }
        const double endS =
            framesToSeconds(m_document.session().lengthFrames(), m_document.session().sampleRateHz);
        if (*place > endS)
            m_document.addNote(tr("That lies after the end of the session; the playhead is at its end."));
        m_playback->locate(std::min(*place, endS));
    });
}

const session::Marker* MainWindow::markerHere() {
    constexpr double kNearS = 0.5;
    const auto* marker = session::markerNear(m_document.session(), m_playback->positionS(), kNearS);
    if (marker == nullptr)
        m_document.addNote(tr("No marker is within half a second of the playhead."));
    return marker;
}

void MainWindow::jumpMarker(int direction) {
    constexpr double kHereS = 0.02;
    const double at = m_playback->positionS();
    std::optional<double> target;
    for (const auto& marker : m_document.session().markers)
        if (direction > 0 ? marker.timeS > at + kHereS && !target : marker.timeS < at - kHereS)
            target = marker.timeS;
    if (target)
        m_playback->locate(*target);
}

} // namespace cask::app
