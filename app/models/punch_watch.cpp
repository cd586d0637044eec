#include "app/models/punch_watch.h"

#include "app/models/priorities.h"
#include "core/project/offline_sources.h"

#include <algorithm>

namespace cask::app {
namespace {

constexpr int kPunchWatchQuietMs = 700; // after the last edit: a bus is heard with all that feeds it

bool hasCompressor(const std::vector<session::Module>& chain) {
    return std::any_of(chain.begin(), chain.end(), [](const auto& m) {
        return m.isOn && std::holds_alternative<dsp::CompressorSettings>(m.settings);
    });
}

bool hasCompressor(const session::Session& s) {
    return std::any_of(s.elements.begin(), s.elements.end(),
                       [](const auto& e) { return hasCompressor(e->chain); }) ||
           std::any_of(s.buses.begin(), s.buses.end(), [](const auto& b) { return hasCompressor(b->chain); });
}

} // namespace

PunchWatch::PunchWatch(Document& document, Analyst& analyst, HitModel& hits, QObject* parent)
    : QObject(parent), m_document(document), m_analyst(analyst), m_hits(hits), m_jobs(analyst.pool()) {
    m_timer.setSingleShot(true);
    m_timer.setInterval(kPunchWatchQuietMs);
    connect(&m_timer, &QTimer::timeout, this, &PunchWatch::measure);
    connect(&document, &Document::changed, this, &PunchWatch::follow);
    connect(&document, &Document::opened, this, [this] {
        m_of.reset();
        m_measured.clear();
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

void PunchWatch::follow() {
    if (isCurrent()) {
        if (m_punches.size() != m_measured.size()) { // an edit was undone
            m_punches = m_measured;
            emit changed();
        }
        return;
    }
    m_cancel.cancel();
    ++m_generation;
    m_isMeasuring = false;
    if (!m_punches.empty()) {
        m_punches.clear();
        emit changed();
    }
    if (m_hits.shared() != nullptr && hasCompressor(m_document.session()))
        m_timer.start();
    else
        m_timer.stop();
}

std::vector<advise::PunchMeasure> PunchWatch::known() const {
    std::vector<advise::PunchMeasure> same;
    const auto& s = m_document.session();
    if (m_of == nullptr || m_ofHits != m_hits.shared() || !(m_ofStyle == m_style) ||
        m_of->sections != s.sections)
        return same;
    for (const auto& punch : m_measured) {
        const auto* before = m_of->element(punch.owner);
        const auto* now = s.element(punch.owner);
        const auto hears = [](const session::Module& m) { return m.key != session::kNoId; };
        if (before != nullptr && now != nullptr && before->chain == now->chain &&
            before->input == now->input && before->startFrame == now->startFrame &&
            before->channels == now->channels && std::none_of(now->chain.begin(), now->chain.end(), hears))
            same.push_back(punch);
    }
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
         known = known(), cancel = m_cancel, folder = m_document.folder()] {
            const auto sources = project::openOfflineSources(*snapshot, folder, cancel);
            if (!sources)
                return;
            auto punches = kit::measurePunches(*snapshot, *hits, sources->lookup(), style, cancel, known);
            QMetaObject::invokeMethod(
                this,
                [this, generation, hits, snapshot, style, punches = std::move(punches)] {
                    if (generation != m_generation)
                        return;
                    m_isMeasuring = false;
                    if (!punches)
                        return;
                    m_measured = m_punches = *punches;
                    m_of = snapshot;
                    m_ofHits = hits;
                    m_ofStyle = style;
                    emit changed();
                },
                Qt::QueuedConnection);
        },
        kMeasuringPriority);
}

} // namespace cask::app
