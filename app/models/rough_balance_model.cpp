#include "app/models/rough_balance_model.h"

#include "app/models/priorities.h"
#include "core/project/offline_sources.h"

#include <algorithm>

namespace cask::app {
namespace {

constexpr double kHeardS = 8; // that are heard while it is tried

} // namespace

RoughBalanceModel::RoughBalanceModel(Document& document, Analyst& analyst, HitModel& hits, Playback& playback,
                                     QObject* parent)
    : QObject(parent), m_document(document), m_analyst(analyst), m_hits(hits), m_playback(playback),
      m_jobs(analyst.pool()) {
    for (const auto signal : {&Document::changed, &Document::opened})
        connect(&document, signal, this, &RoughBalanceModel::follow);
    connect(&hits, &HitModel::hitsChanged, this, &RoughBalanceModel::forget);
}

RoughBalanceModel::~RoughBalanceModel() {
    m_cancel.cancel();
}

/// It was of another sound: what is only looked at does not count.
void RoughBalanceModel::follow() {
    const auto& s = m_document.session();
    if (m_of != nullptr &&
        (m_of->elements != s.elements || m_of->buses != s.buses || m_of->sections != s.sections))
        forget();
}

void RoughBalanceModel::forget() {
    m_cancel.cancel();
    ++m_generation;
    m_isSearching = false;
    m_of.reset();
    m_found.reset();
    m_refused.clear();
    m_problem.clear();
    emit changed();
}

void RoughBalanceModel::search(kit::KitView view, const advise::HouseStyle& style) {
    forget();
    const auto hits = m_hits.shared();
    if (hits == nullptr) {
        m_problem = tr("Hits are still being found.");
        emit changed();
        return;
    }
    m_of = m_document.snapshot();
    m_cancel = CancelToken();
    m_isSearching = true;
    m_progress = 0;
    m_jobs.post(
        [this, view, style, snapshot = m_of, hits, generation = m_generation, cancel = m_cancel,
         folder = m_document.folder()] {
            const auto sources = project::openOfflineSources(*snapshot, folder, cancel);
            if (!sources)
                return;
            const auto tell = [this, generation](double share) {
                QMetaObject::invokeMethod(
                    this,
                    [this, generation, share] {
                        if (generation != m_generation)
                            return;
                        m_progress = share;
                        emit changed();
                    },
                    Qt::QueuedConnection);
            };
            auto balance = kit::roughBalance(*snapshot, *hits, sources->lookup(), style, view, cancel, tell);
            QMetaObject::invokeMethod(
                this,
                [this, generation, balance = std::move(balance)] {
                    if (generation != m_generation)
                        return;
                    m_isSearching = false;
                    if (balance)
                        m_found = *balance;
                    else
                        m_problem = QString::fromStdString(balance.error().message);
                    emit changed();
                },
                Qt::QueuedConnection);
        },
        kMeasuringPriority);
    emit changed();
}

void RoughBalanceModel::setRefused(std::size_t step, bool isRefused) {
    if (!m_found || step >= m_found->steps.size() || isRefused == m_refused.contains(step))
        return;
    if (isRefused)
        m_refused.insert(step);
    else
        m_refused.erase(step);
    emit changed();
}

void RoughBalanceModel::setTrying(bool on) {
    if (!on) {
        m_playback.endAudition();
        return;
    }
    if (!m_found)
        return;
    const auto& s = m_document.session();
    const double endS = framesToSeconds(s.lengthFrames(), s.sampleRateHz);
    const double startS = std::clamp(m_playback.positionS(), 0.0, std::max(0.0, endS - kHeardS));
    m_playback.audition({{},
                         startS,
                         std::min(endS, startS + kHeardS),
                         [balance = *m_found, refused = m_refused](session::Session session) {
                             return kit::withBalance(std::move(session), balance, refused);
                         }});
}

void RoughBalanceModel::take() {
    if (!m_found)
        return;
    m_document.edit(kit::withBalance(m_document.session(), *m_found, m_refused), tr("Rough balance"));
}

} // namespace cask::app
