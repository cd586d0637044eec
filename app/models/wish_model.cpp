#include "app/models/wish_model.h"

#include "app/models/priorities.h"
#include "app/theme/theme.h"
#include "core/project/offline_sources.h"

#include <algorithm>

namespace cask::app {
namespace {

constexpr double kTryS = 6; // that are heard while a way is tried

} // namespace

WishModel::WishModel(Document& document, Analyst& analyst, HitModel& hits, Playback& playback,
                     QObject* parent)
    : QObject(parent), m_document(document), m_analyst(analyst), m_hits(hits), m_playback(playback),
      m_jobs(analyst.pool()) {
    for (const auto signal : {&Document::changed, &Document::selectionChanged, &Document::opened})
        connect(&document, signal, this, &WishModel::follow);
    connect(&hits, &HitModel::hitsChanged, this, &WishModel::follow);
}

WishModel::~WishModel() {
    m_cancel.cancel();
}

void WishModel::follow() {
    const auto& s = m_document.session();
    const bool isSame = m_of != nullptr && m_asked && m_asked->owner == m_document.selected() &&
                        m_of->elements == s.elements && m_of->buses == s.buses &&
                        m_of->sections == s.sections;
    if (m_asked && !isSame)
        forget();
}

void WishModel::forget() {
    m_cancel.cancel();
    ++m_generation;
    m_isSearching = false;
    m_asked.reset();
    m_answers.clear();
    m_of.reset();
    emit changed();
}

void WishModel::search(measure::Wish wish, Id key, const advise::HouseStyle& style) {
    forget();
    const auto hits = m_hits.shared();
    const Id owner = m_document.selected();
    if (hits == nullptr || m_document.session().chain(owner) == nullptr ||
        (wish == measure::Wish::Duck && (key == session::kNoId || key == owner)))
        return;
    m_asked = kit::WishAsked{owner, wish, wish == measure::Wish::Duck ? key : session::kNoId};
    m_style = style;
    m_of = m_document.snapshot();
    m_cancel = CancelToken();
    m_isSearching = true;
    m_jobs.post(
        [this, asked = *m_asked, snapshot = m_of, hits, style, generation = m_generation, cancel = m_cancel,
         folder = m_document.folder()] {
            const auto sources = project::openOfflineSources(*snapshot, folder, cancel);
            if (!sources)
                return;
            auto answers = kit::findWays(*snapshot, asked, *hits, sources->lookup(), style, cancel);
            QMetaObject::invokeMethod(
                this,
                [this, generation, answers = std::move(answers)] {
                    if (generation != m_generation)
                        return;
                    m_isSearching = false;
                    if (answers)
                        m_answers = *answers;
                    emit changed();
                },
                Qt::QueuedConnection);
        },
        kMeasuringPriority);
    emit changed();
}

QString WishModel::sentence(std::size_t answer) const {
    const auto hits = m_hits.shared();
    if (answer >= m_answers.size() || !m_asked)
        return {};
    const auto& found = m_answers[answer];
    const int drum = found.measured.spillDrum;
    const std::string spill =
        hits != nullptr && drum >= 0 ? hits->nameOf(drum, m_document.session()) : std::string();
    return pretty(kit::answerInWords(m_asked->wish, found, m_style, spill));
}

void WishModel::setTrying(std::size_t answer, bool on) {
    if (!on) {
        m_playback.endAudition();
        return;
    }
    if (answer >= m_answers.size() || !m_asked)
        return;
    const double fromS = m_playback.positionS();
    const double endS =
        framesToSeconds(m_document.session().lengthFrames(), m_document.session().sampleRateHz);
    const double startS = std::clamp(fromS, 0.0, std::max(0.0, endS - kTryS));
    m_playback.audition({{m_asked->owner},
                         startS,
                         std::min(endS, startS + kTryS),
                         [asked = *m_asked, taken = m_answers[answer]](session::Session s) {
                             return kit::withWay(std::move(s), asked, taken);
                         }});
}

void WishModel::take(std::size_t answer) {
    if (answer >= m_answers.size() || !m_asked)
        return;
    const auto& s = m_document.session();
    const QString words =
        tr("Take %1 for %2, %3")
            .arg(QString::fromUtf8(m_answers[answer].way.words.data(),
                                   static_cast<int>(m_answers[answer].way.words.size())),
                 QString::fromUtf8(measure::wishWords(m_asked->wish).data(),
                                   static_cast<int>(measure::wishWords(m_asked->wish).size())),
                 QString::fromStdString(s.nameOf(m_asked->owner)));
    m_document.edit(kit::withWay(s, *m_asked, m_answers[answer]), words, {}, Document::Spreads::No);
}

} // namespace cask::app
