#include "app/models/reference_model.h"

#include "app/models/priorities.h"
#include "app/theme/theme.h"
#include "core/project/offline_sources.h"

#include <algorithm>

namespace cask::app {
namespace {

constexpr int kOwnAfterMs = 800;

} // namespace

ReferenceModel::ReferenceModel(Document& document, Analyst& analyst, Playback& playback, QObject* parent)
    : QObject(parent), m_document(document), m_analyst(analyst), m_playback(playback),
      m_jobs(analyst.pool()) {
    m_timer.setSingleShot(true);
    m_timer.setInterval(kOwnAfterMs);
    connect(&m_timer, &QTimer::timeout, this, &ReferenceModel::describeOwn);
    for (const auto signal : {&Document::changed, &Document::selectionChanged})
        connect(&document, signal, this, &ReferenceModel::follow);
    connect(&document, &Document::opened, this, [this] {
        m_known.clear();
        m_knownTrails.clear();
        m_own.reset();
        m_chosen = session::kNoId;
        m_beginsAtS = -1;
        follow();
    });
    connect(&analyst, &Analyst::fileChanged, this, &ReferenceModel::follow);
}

ReferenceModel::~ReferenceModel() {
    m_cancel.cancel();
}

std::vector<Id> ReferenceModel::references() const {
    std::vector<Id> ids;
    for (const auto& e : m_document.session().elements)
        if (e->role == Role::Reference)
            ids.push_back(e->id);
    return ids;
}

Id ReferenceModel::chosen() const {
    const auto all = references();
    for (const Id id : {m_document.selected(), m_chosen})
        if (std::find(all.begin(), all.end(), id) != all.end())
            return id;
    return all.empty() ? session::kNoId : all.front();
}

void ReferenceModel::choose(Id reference) {
    m_chosen = reference;
    m_beginsAtS = -1;
    if (const auto all = references(); std::find(all.begin(), all.end(), m_document.selected()) != all.end())
        m_document.select(reference); // the selected one goes first
    emit changed();
}

void ReferenceModel::chooseNext() {
    const auto all = references();
    if (all.empty())
        return;
    const auto at = std::find(all.begin(), all.end(), chosen());
    choose(at == all.end() || at + 1 == all.end() ? all.front() : *(at + 1));
}

const kit::DrumMix* ReferenceModel::of(Id reference) const {
    const auto* e = m_document.session().element(reference);
    const auto it = e == nullptr ? m_known.end() : m_known.find(e->channels.front().file);
    return it == m_known.end() ? nullptr : &it->second;
}

void ReferenceModel::setWatched(bool on) {
    m_isWatched = on;
    follow();
}

void ReferenceModel::follow() {
    for (const Id id : references())
        describe(id);
    m_cancel.cancel();
    ++m_generation;
    m_isMeasuring = false;
    if (m_isWatched && !references().empty())
        m_timer.start();
    emit changed();
}

/// From what is measured of its file in any case.
void ReferenceModel::describe(Id reference) {
    const Id file = m_document.session().element(reference)->channels.front().file;
    const auto* state = m_analyst.file(file);
    if (state == nullptr || !state->trails || !state->analysis || m_knownTrails[file] == state->trails.get())
        return;
    m_knownTrails[file] = state->trails.get();
    m_jobs.post(
        [this, file, trails = state->trails, lufs = state->analysis->facts.loudness.integratedLufs] {
            auto mix = kit::describeDrumMix(*trails, lufs);
            QMetaObject::invokeMethod(
                this,
                [this, file, trails, mix = std::move(mix)] {
                    if (m_knownTrails[file] != trails.get())
                        return;
                    m_known[file] = mix;
                    emit changed();
                },
                Qt::QueuedConnection);
        },
        kHeadroomPriority);
}

void ReferenceModel::describeOwn() {
    const int generation = ++m_generation;
    m_cancel = CancelToken();
    m_isMeasuring = true;
    emit changed();
    const auto [from, frames] = m_playback.measuredStretch();
    m_jobs.post(
        [this, generation, from = from, frames = frames, snapshot = m_document.snapshot(),
         folder = m_document.folder(), cancel = m_cancel] {
            const auto sources = project::openOfflineSources(*snapshot, folder, cancel);
            if (!sources)
                return;
            auto mix = kit::describeDrumMix(*snapshot, sources->lookup(), from, frames, cancel);
            QMetaObject::invokeMethod(
                this,
                [this, generation, mix = std::move(mix)] {
                    if (generation != m_generation)
                        return;
                    m_isMeasuring = false;
                    if (mix)
                        m_own = *mix;
                    emit changed();
                },
                Qt::QueuedConnection);
        },
        kHeadroomPriority);
}

void ReferenceModel::beginAt(double momentS) {
    m_beginsAtS = momentS;
    emit changed();
}

void ReferenceModel::setHeard(bool on) {
    const auto* e = m_document.session().element(chosen());
    if (!on || e == nullptr) {
        if (m_playback.heardReference())
            m_playback.hearReference(std::nullopt);
        if (on)
            m_document.addNote(tr("There is no reference: import a file and give it the role Reference."));
        return;
    }
    HeardReference heard{e->id, 0, kSilenceDb};
    const auto* state = m_analyst.element(e->id);
    if (state != nullptr && state->analysis)
        heard.lufs = state->analysis->facts.loudness.integratedLufs;
    // A mastered mix may be far louder than this one: never unmatched.
    if (const auto& mix = m_playback.match();
        !mix || heard.lufs <= Playback::kSilentLufs || mix->firstLufs <= Playback::kSilentLufs) {
        m_document.addNote(
            tr("The reference is not heard yet: its loudness or that of the mix is not known."));
        return;
    }
    if (m_beginsAtS >= 0) { // that moment is at the start of the loop, or where the playhead stands
        const double hereS = m_playback.hasLoop() ? m_playback.loopStartS() : m_playback.positionS();
        const double startS = framesToSeconds(e->startFrame, m_document.session().sampleRateHz);
        heard.laterS = hereS - startS - m_beginsAtS;
    }
    m_playback.hearReference(heard);
    emit changed();
}

QString ReferenceModel::matchText() const {
    const auto* reference = of(chosen());
    const auto& mix = m_playback.match();
    if (reference == nullptr || !mix || mix->firstLufs <= Playback::kSilentLufs ||
        reference->lufs <= Playback::kSilentLufs)
        return tr("loudness is still being measured");
    const double differenceDb = reference->lufs - mix->firstLufs;
    if (differenceDb >= 0)
        return tr("reference %1 LUFS, mix %2 LUFS: the reference is heard %3 dB down")
            .arg(dbText(reference->lufs), dbText(mix->firstLufs), dbText(differenceDb));
    return tr("reference %1 LUFS, mix %2 LUFS: the mix is heard %3 dB down")
        .arg(dbText(reference->lufs), dbText(mix->firstLufs), dbText(-differenceDb));
}

} // namespace cask::app
