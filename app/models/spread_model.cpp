#include "app/models/spread_model.h"

#include "app/models/priorities.h"
#include "core/project/loudness_match.h"
#include "core/project/offline_sources.h"
#include "core/session/edits.h"

#include <algorithm>
#include <map>

namespace cask::app {
namespace {

constexpr int kAfterMs = 500;     // after the last edit
constexpr double kMeasuredS = 60; // from the loop's or the session's start

session::Session withWidth(session::Session s, Id element, int percent) {
    return session::withOutput(std::move(s), element,
                               [&](session::Output& out) { out.widthPercent = percent; });
}

} // namespace

SpreadModel::SpreadModel(Document& document, Analyst& analyst, HitModel& hits, Playback& playback,
                         QObject* parent)
    : QObject(parent), m_document(document), m_analyst(analyst), m_hits(hits), m_playback(playback),
      m_jobs(analyst.pool()) {
    m_timer.setSingleShot(true);
    m_timer.setInterval(kAfterMs);
    connect(&m_timer, &QTimer::timeout, this, &SpreadModel::measure);
    for (const auto signal : {&Document::changed, &Document::opened, &Document::selectionChanged})
        connect(&document, signal, this, &SpreadModel::follow);
    connect(&hits, &HitModel::hitsChanged, this, &SpreadModel::follow);
}

SpreadModel::~SpreadModel() {
    m_cancel.cancel();
}

void SpreadModel::setWatched(bool on) {
    if (on == m_isWatched)
        return;
    m_isWatched = on;
    follow();
}

void SpreadModel::follow() {
    m_cancel.cancel();
    ++m_generation;
    m_isMeasuring = false;
    if (m_of != m_document.selected()) {
        m_of = m_document.selected();
        m_losses.clear();
    }
    const auto* e = m_document.session().element(m_of);
    if (m_isWatched && e != nullptr && e->isStereo())
        m_timer.start();
    else
        m_timer.stop();
    emit changed();
}

void SpreadModel::choose(int percent) {
    const Id id = m_document.selected();
    const auto& s = m_document.session();
    const auto* e = s.element(id);
    if (e == nullptr || !e->isStereo())
        return;
    m_playback.armWidths();
    m_document.edit(withWidth(s, id, percent), tr("Width, %1").arg(QString::fromStdString(e->name)),
                    QStringLiteral("spread %1").arg(id));
}

void SpreadModel::measure() {
    const int generation = ++m_generation;
    m_cancel = CancelToken();
    m_isMeasuring = true;
    emit changed();
    const auto& s = m_document.session();
    const auto [from, all] = m_playback.measuredStretch();
    const Frames frames =
        std::min(all > 0 ? all : s.lengthFrames(), secondsToFrames(kMeasuredS, s.sampleRateHz));
    m_jobs.post(
        [this, generation, from = from, frames, id = m_of, snapshot = m_document.snapshot(),
         hits = m_hits.shared(), folder = m_document.folder(), cancel = m_cancel] {
            const auto sources = project::openOfflineSources(*snapshot, folder, cancel);
            if (!sources)
                return;
            const auto lookup = sources->lookup();
            auto losses = kit::measureSpread(*snapshot, id, hits.get(), lookup,
                                             std::vector<double>(kSpreads.begin(), kSpreads.end()), from,
                                             static_cast<std::size_t>(frames), cancel);
            std::map<int, double> lufs;
            for (const int percent : kSpreads)
                if (const auto match = project::matchLoudness(withWidth(*snapshot, id, percent),
                                                              withWidth(*snapshot, id, percent), lookup, from,
                                                              frames, cancel))
                    lufs[percent] = match->firstLufs;
            QMetaObject::invokeMethod(
                this,
                [this, generation, id, losses = std::move(losses), lufs] {
                    if (generation != m_generation)
                        return;
                    m_isMeasuring = false;
                    if (losses)
                        m_losses = *losses;
                    double quietest = 0;
                    for (const auto& [percent, loudness] : lufs)
                        if (loudness > Playback::kSilentLufs)
                            quietest = std::min(quietest, loudness);
                    std::map<int, double> gains;
                    for (const auto& [percent, loudness] : lufs)
                        gains[percent] = loudness > Playback::kSilentLufs ? quietest - loudness : 0;
                    m_playback.takeWidthGains(id, gains);
                    emit changed();
                },
                Qt::QueuedConnection);
        },
        kHeadroomPriority);
}

} // namespace cask::app
