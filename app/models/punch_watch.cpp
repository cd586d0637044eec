#include "app/models/punch_watch.h"

#include "app/models/priorities.h"
#include "core/kit_measures/crowding.h"
#include "core/project/offline_sources.h"

#include <algorithm>

namespace cask::app {
namespace {

constexpr int kPunchWatchQuietMs = 700; // after the last edit: a bus is heard with all that feeds it
constexpr double kWatchedCrowdS = 30;   // a render of all elements for each edit

} // namespace

PunchWatch::PunchWatch(Document& document, Analyst& analyst, HitModel& hits, QObject* parent)
    : QObject(parent), m_document(document), m_analyst(analyst), m_hits(hits), m_jobs(analyst.pool()) {
    m_timer.setSingleShot(true);
    m_timer.setInterval(kPunchWatchQuietMs);
    connect(&m_timer, &QTimer::timeout, this, &PunchWatch::measure);
    connect(&document, &Document::changed, this, &PunchWatch::follow);
    connect(&document, &Document::opened, this, [this] {
        m_of.reset();
        m_measured = {};
        m_measuredDrive = {};
        m_measuredCrowd.clear();
        follow();
    });
    connect(&hits, &HitModel::hitsChanged, this, &PunchWatch::follow);
}

PunchWatch::~PunchWatch() {
    m_cancel.cancel();
}

void PunchWatch::setStyle(const advise::HouseStyle& style) {
    if (style == m_style)
        return;
    m_style = style;
    follow();
}

bool PunchWatch::isCurrent() const {
    const auto& s = m_document.session();
    return m_of != nullptr && m_ofHits == m_hits.shared() && m_ofStyle == m_style &&
           m_of->elements == s.elements && m_of->buses == s.buses && m_of->sections == s.sections;
}

void PunchWatch::show(bool isShown) {
    if (m_isShown == isShown)
        return;
    m_isShown = isShown;
    m_punch = isShown ? m_measured : advise::KitPunch();
    m_drive = isShown ? m_measuredDrive : advise::KitDrive();
    m_crowd = isShown ? m_measuredCrowd : std::vector<advise::CrowdMeasure>();
    emit changed();
}

void PunchWatch::follow() {
    if (isCurrent()) {
        show(true); // an edit may have been undone
        return;
    }
    m_cancel.cancel();
    ++m_generation;
    m_isMeasuring = false;
    show(false);
    if (m_hits.shared() != nullptr)
        m_timer.start();
    else
        m_timer.stop();
}

bool PunchWatch::isSame(session::Id element) const {
    const auto& s = m_document.session();
    if (m_of == nullptr || m_ofHits != m_hits.shared() || !(m_ofStyle == m_style) ||
        m_of->sections != s.sections)
        return false;
    const auto* before = m_of->element(element);
    const auto* now = s.element(element);
    const auto hears = [](const session::Module& m) { return m.key != session::kNoId; };
    return before != nullptr && now != nullptr && before->chain == now->chain &&
           before->input == now->input && before->startFrame == now->startFrame &&
           before->channels == now->channels && std::none_of(now->chain.begin(), now->chain.end(), hears);
}

std::vector<advise::PunchMeasure> PunchWatch::known() const {
    std::vector<advise::PunchMeasure> same;
    for (const auto& punch : m_measured.compressors)
        if (isSame(punch.owner))
            same.push_back(punch);
    return same;
}

advise::KitDrive PunchWatch::knownDrive() const {
    advise::KitDrive same;
    for (const auto& drive : m_measuredDrive.modules)
        if (isSame(drive.owner))
            same.modules.push_back(drive);
    // What comes to a bus is the same where nothing but buses behind it has changed: only all of it is sure.
    if (m_of != nullptr && m_of->elements == m_document.session().elements &&
        m_of->buses == m_document.session().buses)
        same.pushes = m_measuredDrive.pushes;
    return same;
}

void PunchWatch::measure() {
    const auto hits = m_hits.shared();
    if (hits == nullptr)
        return;
    m_cancel = CancelToken();
    m_isMeasuring = true;
    m_jobs.post(
        [this, hits, snapshot = m_document.snapshot(), generation = ++m_generation, style = m_style,
         known = known(), knownDrive = knownDrive(), cancel = m_cancel, folder = m_document.folder()] {
            const auto sources = project::openOfflineSources(*snapshot, folder, cancel);
            if (!sources)
                return;
            auto punch = kit::measurePunch(*snapshot, *hits, sources->lookup(), style, cancel, known);
            auto drive = kit::measureDrive(*snapshot, *hits, sources->lookup(), style, cancel, knownDrive);
            auto crowd = kit::measureCrowding(*snapshot, sources->lookup(), cancel, {}, kWatchedCrowdS);
            QMetaObject::invokeMethod(
                this,
                [this, generation, hits, snapshot, style, punch = std::move(punch), drive = std::move(drive),
                 crowd = std::move(crowd)] {
                    if (generation != m_generation)
                        return;
                    m_isMeasuring = false;
                    if (!punch || !drive || !crowd)
                        return;
                    m_measured = *punch;
                    m_measuredDrive = *drive;
                    m_measuredCrowd = *crowd;
                    m_of = snapshot;
                    m_ofHits = hits;
                    m_ofStyle = style;
                    m_isShown = false;
                    show(true);
                },
                Qt::QueuedConnection);
        },
        kMeasuringPriority);
}

} // namespace cask::app
