#include "app/models/pair_model.h"

#include "app/models/priorities.h"
#include "core/kit_measures/partners.h"
#include "core/project/offline_sources.h"
#include "core/session/edits.h"
#include "core/session/parameters.h"

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

constexpr int kPairQuietMs = 150;
constexpr double kNearReachMs = 8;
constexpr double kFarReachMs = 20;

} // namespace

PairModel::PairModel(Document& document, Analyst& analyst, HitModel& hits, QObject* parent)
    : QObject(parent), m_document(document), m_analyst(analyst), m_hits(hits), m_jobs(analyst.pool()) {
    m_timer.setSingleShot(true);
    m_timer.setInterval(kPairQuietMs);
    connect(&m_timer, &QTimer::timeout, this, &PairModel::measure);
    connect(&document, &Document::changed, this, &PairModel::follow);
    connect(&document, &Document::opened, this, [this] { show(session::kNoId, session::kNoId); });
    connect(&hits, &HitModel::hitsChanged, this, &PairModel::follow);
}

PairModel::~PairModel() {
    m_cancel.cancel();
}

std::vector<Id> PairModel::othersOf(Id element) const {
    std::vector<Id> others;
    for (const auto& [first, second] : kit::partners(m_document.session())) {
        if (first == element)
            others.push_back(second);
        else if (second == element)
            others.push_back(first);
    }
    return others;
}

void PairModel::show(Id still, Id moving) {
    if (still == m_still && moving == m_moving)
        return;
    m_still = still;
    m_moving = moving;
    m_portrait.reset();
    m_measured.reset();
    m_measuredHits.reset();
    m_cancel.cancel();
    ++m_generation;
    m_isMeasuring = false;
    measure();
    emit portraitChanged();
}

const session::InputSettings* PairModel::input() const {
    const auto* e = m_document.session().element(m_moving);
    return e == nullptr ? nullptr : &e->input;
}

void PairModel::follow() {
    if (m_moving == session::kNoId)
        return;
    const auto isSame = [&](Id id, bool mayMove) {
        const auto* before = m_measured == nullptr ? nullptr : m_measured->element(id);
        const auto* now = m_document.session().element(id);
        if (before == nullptr || now == nullptr)
            return false;
        auto input = now->input;
        if (mayMove) {
            input.shiftMs = before->input.shiftMs;
            input.isInverted = before->input.isInverted;
        }
        return before->role == now->role && before->channels == now->channels && before->input == input &&
               before->out.levelDb == now->out.levelDb && before->startFrame == now->startFrame;
    };
    // Hits found anew because of the move are the same hits.
    const bool needsHits = m_measuredHits == nullptr && m_hits.shared() != nullptr;
    if (!isSame(m_still, false) || !isSame(m_moving, true) || needsHits) {
        m_cancel.cancel();
        m_timer.start();
    }
    emit portraitChanged();
}

void PairModel::measure() {
    const auto hits = m_hits.shared();
    const auto snapshot = m_document.snapshot();
    if (!hits || snapshot->element(m_still) == nullptr || snapshot->element(m_moving) == nullptr)
        return;
    m_cancel = CancelToken();
    m_isMeasuring = true;
    const int generation = ++m_generation;
    m_jobs.post(
        [this, hits, snapshot, generation, still = m_still, moving = m_moving, cancel = m_cancel,
         folder = m_document.folder()] {
            const auto sources = project::openOfflineSources(*snapshot, folder, cancel);
            if (!sources)
                return;
            // The hits are those of the drum: overheads have none of their own.
            const bool stillHasDrum =
                hits->inputOf(still) >= 0 &&
                hits->hits.kit.drumOf[static_cast<std::size_t>(hits->inputOf(still))] >= 0;
            const auto own = kit::clearHits(*hits, stillHasDrum ? still : moving);
            const bool isNear =
                kit::isNearPair(*snapshot, still, moving) || kit::isNearPair(*snapshot, moving, still);
            const auto lookup = sources->lookup();
            auto portrait = std::make_shared<const measure::PairPortrait>(measure::portrayPair(
                kit::inputSound(*snapshot, still, lookup), kit::inputSound(*snapshot, moving, lookup),
                snapshot->sampleRateHz, own, isNear ? kNearReachMs : kFarReachMs,
                kit::noteOf(*snapshot, stillHasDrum ? still : moving)));
            const bool movesFirst = !stillHasDrum || kit::isNearPair(*snapshot, moving, still);
            const auto alignment = kit::alignPartner(*snapshot, *hits, lookup, movesFirst ? moving : still,
                                                     movesFirst ? still : moving);
            const double fromS = own.empty() ? 0 : std::max(0.0, own.front().timeS - 0.2);
            QMetaObject::invokeMethod(
                this,
                [this, generation, hits, snapshot, fromS, alignment, movesFirst,
                 portrait = std::move(portrait)] {
                    if (generation != m_generation)
                        return;
                    m_isMeasuring = false;
                    m_portrait = portrait;
                    m_measured = snapshot;
                    m_measuredHits = hits;
                    m_hearFromS = fromS;
                    m_alignment = alignment;
                    m_movesFirst = movesFirst;
                    emit portraitChanged();
                },
                Qt::QueuedConnection);
        },
        kPairPriority);
}

double PairModel::movedMs() const {
    const auto* now = input();
    const auto* before = m_measured == nullptr ? nullptr : m_measured->element(m_moving);
    return now == nullptr || before == nullptr ? 0 : now->shiftMs - before->input.shiftMs;
}

bool PairModel::isTurned() const {
    const auto* now = input();
    const auto* before = m_measured == nullptr ? nullptr : m_measured->element(m_moving);
    return now != nullptr && before != nullptr && now->isInverted != before->input.isInverted;
}

double PairModel::lowSumDb() const {
    return m_portrait == nullptr ? 0 : m_portrait->lowSumAtDb(movedMs(), isTurned());
}

PairModel::Best PairModel::best(double reachMs) const {
    Best best;
    const auto* now = input();
    if (now == nullptr || m_portrait == nullptr || m_portrait->hits == 0)
        return best;
    const double at = movedMs();
    const double base = now->shiftMs - at;
    best = {now->shiftMs, now->isInverted, lowSumDb()};
    const auto points = static_cast<int>(m_portrait->lowSumDb.size());
    // A tenth of a decibel is not worth a millisecond more.
    constexpr double kDbPerMs = 0.1;
    double mark = best.lowSumDb;
    for (int i = 0; i < points; ++i) {
        const double moved = m_portrait->leastShiftMs + i * m_portrait->stepMs;
        if (std::abs(moved - at) > reachMs)
            continue;
        for (const bool turned : {false, true}) {
            const double db = m_portrait->lowSumAtDb(moved, turned);
            const double cost = kDbPerMs * std::abs(moved - at);
            if (db - cost > mark + 1e-9) {
                mark = db - cost;
                best = {base + moved, turned ? now->isInverted == isTurned() : now->isInverted != isTurned(),
                        db};
            }
        }
    }
    return best;
}

std::optional<PairModel::Best> PairModel::together() const {
    constexpr double kSure = 0.35;
    const auto* now = input();
    if (now == nullptr || m_portrait == nullptr || m_alignment.hits == 0 || m_alignment.confidence < kSure)
        return std::nullopt;
    const double moved = m_movesFirst ? m_alignment.delayMs : -m_alignment.delayMs;
    const bool wasInverted = now->isInverted != isTurned();
    return Best{now->shiftMs - movedMs() + moved, wasInverted != m_alignment.isInverted,
                m_portrait->lowSumAtDb(moved, m_alignment.isInverted)};
}

void PairModel::setShift(double shiftMs, bool isDragging) {
    const auto& s = m_document.session();
    const auto& info = session::field(session::inputFields(), "shift_ms").info;
    const double value = session::clampValue(info, shiftMs);
    m_document.edit(session::withElement(s, m_moving, [&](session::Element& e) { e.input.shiftMs = value; }),
                    tr("Shift, %1").arg(QString::fromStdString(s.nameOf(m_moving))),
                    isDragging ? QStringLiteral("pair-shift-%1").arg(m_moving) : QString());
}

void PairModel::setInverted(bool on) {
    const auto& s = m_document.session();
    m_document.edit(session::withElement(s, m_moving, [&](session::Element& e) { e.input.isInverted = on; }),
                    tr("Invert polarity, %1").arg(QString::fromStdString(s.nameOf(m_moving))));
}

void PairModel::moveTo(const Best& best) {
    const auto& s = m_document.session();
    m_document.edit(session::withElement(s, m_moving,
                                         [&](session::Element& e) {
                                             e.input.shiftMs = best.shiftMs;
                                             e.input.isInverted = best.isInverted;
                                         }),
                    tr("Align, %1").arg(QString::fromStdString(s.nameOf(m_moving))));
}

} // namespace cask::app
