#include "app/models/tone_model.h"

#include "app/models/priorities.h"
#include "core/kit_measures/gates.h"
#include "core/kit_measures/tones.h"
#include "core/measure/tone/own_hits.h"
#include "core/project/offline_sources.h"
#include "core/session/edits.h"

#include <algorithm>

namespace cask::app {
namespace {

constexpr int kToneQuietMs = 200; // after the last edit

bool sameSound(const session::Session* before, const session::Session& now, Id id) {
    const auto* a = before == nullptr ? nullptr : before->element(id);
    const auto* b = now.element(id);
    return a != nullptr && b != nullptr && a->role == b->role && a->input == b->input &&
           a->startFrame == b->startFrame && a->channels == b->channels;
}

} // namespace

ToneModel::ToneModel(Document& document, Analyst& analyst, HitModel& hits, QObject* parent)
    : QObject(parent), m_document(document), m_analyst(analyst), m_hits(hits), m_jobs(analyst.pool()) {
    for (QTimer* timer : {&m_timer, &m_mixTimer}) {
        timer->setSingleShot(true);
        timer->setInterval(kToneQuietMs);
    }
    connect(&m_timer, &QTimer::timeout, this, &ToneModel::measure);
    connect(&m_mixTimer, &QTimer::timeout, this, &ToneModel::mixAnew);
    connect(&document, &Document::changed, this, &ToneModel::follow);
    connect(&document, &Document::selectionChanged, this, &ToneModel::lookCloser);
    connect(&document, &Document::opened, this, [this] {
        m_cancel.cancel();
        ++m_generation;
        ++m_mixGeneration;
        ++m_detailGeneration;
        m_isMeasuring = false;
        m_isMixing = false;
        m_isLooking = false;
        m_tones.clear();
        m_tracks = {};
        m_mix.reset();
        m_untouched.reset();
        m_untouchedOf.reset();
        m_measured.reset();
        m_measuredHits.reset();
        m_detail.reset();
        m_detailElement = session::kNoId;
        follow();
    });
    connect(&hits, &HitModel::hitsChanged, this, &ToneModel::follow);
    follow();
}

ToneModel::~ToneModel() {
    m_cancel.cancel();
    m_cancelDetail.cancel();
    m_cancelMix.cancel();
}

bool ToneModel::isUnchanged(Id element) const {
    return sameSound(m_measured.get(), m_document.session(), element);
}

bool ToneModel::holds(const advise::ToneMeasure& tone) const {
    return isUnchanged(tone.element) && (!tone.beside || isUnchanged(tone.beside->other));
}

const advise::ToneMeasure* ToneModel::tone(Id element) const {
    for (const auto& tone : m_tones)
        if (tone.element == element && holds(tone))
            return &tone;
    return nullptr;
}

std::vector<advise::ToneMeasure> ToneModel::tones() const {
    std::vector<advise::ToneMeasure> now;
    for (const auto& tone : m_tones)
        if (holds(tone))
            now.push_back(tone);
    return now;
}

std::vector<advise::HumMeasure> ToneModel::hums() const {
    std::vector<advise::HumMeasure> now;
    for (const auto& hum : m_tracks.hums)
        if (isUnchanged(hum.element))
            now.push_back(hum);
    return now;
}

void ToneModel::follow() {
    const auto hits = m_hits.shared();
    const auto& s = m_document.session();
    if (!hits)
        return;
    const bool isCurrent = hits == m_measuredHits && s.elements.size() == m_measured->elements.size() &&
                           std::all_of(s.elements.begin(), s.elements.end(),
                                       [&](const auto& e) { return isUnchanged(e->id); }) &&
                           std::all_of(m_tones.begin(), m_tones.end(), [&](const auto& tone) {
                               return kit::isMeasuredBehindFilters(s, tone);
                           });
    if (!isCurrent) {
        m_cancel.cancel();
        m_timer.start();
    } else {
        m_mixTimer.start();
    }
    lookCloser();
}

void ToneModel::measure() {
    const auto hits = m_hits.shared();
    const auto snapshot = m_document.snapshot();
    if (!hits)
        return;
    std::vector<advise::ToneMeasure> knownTones;
    if (hits == m_measuredHits)
        knownTones = tones();
    kit::TrackMeasures knownTracks;
    for (const auto& cell : m_tracks.cells)
        if (isUnchanged(cell.element) && m_measured->lengthFrames() == snapshot->lengthFrames())
            knownTracks.cells.push_back(cell);
    knownTracks.hums = hums();
    m_cancel = CancelToken();
    m_isMeasuring = true;
    m_jobs.post(
        [this, hits, snapshot, generation = ++m_generation, knownTones = std::move(knownTones),
         knownTracks = std::move(knownTracks), cancel = m_cancel, folder = m_document.folder()] {
            const auto sources = project::openOfflineSources(*snapshot, folder, cancel);
            if (!sources)
                return;
            auto tones = kit::measureTones(*snapshot, *hits, sources->lookup(), cancel, {}, knownTones);
            auto tracks = kit::measureTracks(*snapshot, sources->lookup(), cancel, {}, knownTracks);
            QMetaObject::invokeMethod(
                this,
                [this, generation, hits, snapshot, tones = std::move(tones), tracks = std::move(tracks)] {
                    if (generation != m_generation)
                        return;
                    m_isMeasuring = false;
                    if (!tones || !tracks)
                        return;
                    m_tones = *tones;
                    m_tracks = *tracks;
                    m_measured = snapshot;
                    m_measuredHits = hits;
                    m_untouchedOf.reset();
                    emit changed();
                    mixAnew();
                },
                Qt::QueuedConnection);
        },
        kMeasuringPriority);
}

void ToneModel::mixAnew() {
    if (m_tracks.cells.empty())
        return;
    m_isMixing = true;
    const auto snapshot = m_document.snapshot();
    // Moves change nothing of what the kit is without them.
    auto plain = session::untouched(*snapshot, session::Untouched::NoProcessing);
    plain.nextId = 0;
    plain.dismissals.clear();
    const auto bare = std::make_shared<const session::Session>(std::move(plain));
    auto untouched = m_untouchedOf && *m_untouchedOf == *bare ? m_untouched : nullptr;
    m_jobs.post(
        [this, generation = ++m_mixGeneration, snapshot, bare, untouched, cells = m_tracks.cells,
         hits = m_hits.shared()]() mutable {
            const auto mixOf = [&](const session::Session& s) {
                return std::make_shared<const advise::MixMeasure>(kit::measureMix(s, cells, hits.get()));
            };
            auto mix = mixOf(*snapshot);
            if (!untouched)
                untouched = mixOf(*bare);
            QMetaObject::invokeMethod(
                this,
                [this, generation, mix, untouched, bare] {
                    if (generation != m_mixGeneration)
                        return;
                    m_isMixing = false;
                    m_mix = mix;
                    m_untouched = untouched;
                    m_untouchedOf = bare;
                    emit changed();
                },
                Qt::QueuedConnection);
        },
        kMeasuringPriority);
}

void ToneModel::setActive(bool on) {
    m_isActive = on;
    lookCloser();
}

void ToneModel::lookCloser() {
    const Id element = m_document.selected();
    const auto hits = m_hits.shared();
    if (!m_isActive || !hits || m_document.session().element(element) == nullptr)
        return;
    if (m_detailHits == hits && m_detailElement == element &&
        sameSound(m_detailOf.get(), m_document.session(), element))
        return;
    m_detailElement = element;
    const auto snapshot = m_document.snapshot();
    m_detail.reset();
    m_levels.reset();
    m_detailOf = snapshot;
    m_detailHits = hits;
    m_isLooking = true;
    m_cancelDetail.cancel();
    m_cancelDetail = CancelToken();
    m_jobs.post(
        [this, element, hits, snapshot, generation = ++m_detailGeneration, cancel = m_cancelDetail,
         folder = m_document.folder()] {
            const auto sources = project::openOfflineSources(*snapshot, folder, cancel);
            if (!sources)
                return;
            const auto material =
                kit::hitMaterial(*snapshot, element, session::kNoId, *hits, sources->lookup(), cancel);
            if (!material)
                return;
            auto detail = std::make_shared<Detail>();
            detail->element = element;
            detail->material = *material;
            if (const auto clear = measure::clearHits(**material); !clear.empty())
                detail->decay = measure::measureDecayMap(**material, clear);
            QMetaObject::invokeMethod(
                this,
                [this, generation, detail] {
                    if (generation != m_detailGeneration)
                        return;
                    m_isLooking = false;
                    m_detail = detail;
                    emit detailChanged();
                },
                Qt::QueuedConnection);
        },
        kMeasuringPriority);
}

const measure::DecayMap* ToneModel::decay() const {
    return m_detail && m_detail->element == m_document.selected() && !m_detail->decay.powerDb.empty()
               ? &m_detail->decay
               : nullptr;
}

std::optional<measure::BandHits> ToneModel::bandHits(const dsp::EqBand& band) const {
    if (!m_detail || m_detail->element != m_document.selected())
        return std::nullopt;
    const auto hearsAlike = [&](const dsp::EqBand& b) {
        return b.kind == band.kind && b.frequencyHz == band.frequencyHz && b.q == band.q;
    };
    if (!m_levels || !hearsAlike(m_levels->first))
        m_levels = {band, measure::bandLevels(*m_detail->material, band)};
    return measure::bandHits(*m_detail->material, m_levels->second, band);
}

} // namespace cask::app
