#include "app/document/hit_model.h"

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

constexpr int kQuietMs = 120; // several files may become ready at once
constexpr int kPriority = 1;

void mix(std::size_t& seed, std::size_t value) {
    seed ^= value + 0x9e3779b97f4a7c15ULL + (seed << 6U) + (seed >> 2U);
}

} // namespace

HitModel::HitModel(Document& document, Analyst& analyst, QObject* parent)
    : QObject(parent), m_document(document), m_analyst(analyst) {
    m_timer.setSingleShot(true);
    m_timer.setInterval(kQuietMs);
    connect(&m_timer, &QTimer::timeout, this, &HitModel::start);
    connect(&document, &Document::changed, this, &HitModel::follow);
    connect(&document, &Document::opened, this, [this] {
        m_cancel.cancel();
        ++m_generation;
        m_isRunning = false;
        m_analysis.reset();
        m_chosen = -1;
        m_key = 0;
        emit hitsChanged();
        emit choiceChanged();
        follow();
    });
    connect(&analyst, &Analyst::fileChanged, this, &HitModel::follow);
    follow();
}

HitModel::~HitModel() {
    m_cancel.cancel();
    m_analyst.pool().waitIdle(); // its job speaks to this
}

void HitModel::follow() {
    const auto& s = m_document.session();
    std::size_t key = 1;
    const auto number = [&](double x) { mix(key, std::hash<double>()(x)); };
    for (const auto& e : s.elements) {
        mix(key, static_cast<std::size_t>(e->id));
        mix(key, static_cast<std::size_t>(e->role));
        number(static_cast<double>(e->startFrame));
        number(e->input.shiftMs);
        mix(key, std::hash<std::string>()(e->name));
        for (const auto& ref : e->channels) {
            mix(key, static_cast<std::size_t>(ref.file * 64 + ref.channel));
            const auto* state = m_analyst.file(ref.file);
            mix(key, std::hash<const void*>()(state == nullptr ? nullptr : state->trails.get()));
        }
    }
    for (const auto& edit : s.hitEdits) {
        mix(key, static_cast<std::size_t>(edit.kind) * 31 + static_cast<std::size_t>(edit.element));
        number(edit.timeS);
        number(edit.toS);
        mix(key, std::hash<std::string>()(edit.hitClass) + static_cast<std::size_t>(edit.toElement));
    }
    number(s.tempo.bpm);
    number(s.tempo.firstBarS);
    mix(key, static_cast<std::size_t>(s.tempo.beatsPerBar));
    if (key == m_key)
        return;
    m_key = key;
    m_cancel.cancel();
    m_timer.start();
}

void HitModel::start() {
    const auto snapshot = m_document.snapshot();
    std::map<Id, std::shared_ptr<const measure::FileTrails>> trails;
    for (const auto& file : snapshot->files)
        if (const auto* state = m_analyst.file(file->id); state != nullptr && state->trails)
            trails[file->id] = state->trails;
    if (trails.empty())
        return;
    m_cancel = CancelToken();
    m_isRunning = true;
    const int generation = ++m_generation;
    m_analyst.pool().post(
        [this, snapshot, trails = std::move(trails), generation, cancel = m_cancel] {
            const auto result = project::analyseHits(
                *snapshot,
                [&](Id file) {
                    const auto it = trails.find(file);
                    return it == trails.end() ? nullptr : it->second;
                },
                cancel);
            QMetaObject::invokeMethod(
                this,
                [this, generation, result] {
                    if (generation != m_generation)
                        return;
                    m_isRunning = false;
                    if (!result)
                        return;
                    // The chosen hit is found again by its drum and time.
                    const auto* before = chosen();
                    const Id element =
                        before == nullptr ? session::kNoId : m_analysis->elementOf(before->drum);
                    const double timeS = before == nullptr ? 0 : before->timeS;
                    m_analysis = *result;
                    m_chosen = -1;
                    const auto& strokes = m_analysis->hits.strokes;
                    for (std::size_t i = 0; i < strokes.size() && element != session::kNoId; ++i)
                        if (m_analysis->elementOf(strokes[i].drum) == element &&
                            std::abs(strokes[i].timeS - timeS) < 0.005)
                            m_chosen = static_cast<int>(i);
                    emit hitsChanged();
                    emit choiceChanged();
                },
                Qt::QueuedConnection);
        },
        kPriority);
}

const measure::DrumHit* HitModel::chosen() const {
    if (m_analysis == nullptr || m_chosen < 0 ||
        m_chosen >= static_cast<int>(m_analysis->hits.strokes.size()))
        return nullptr;
    return &m_analysis->hits.strokes[static_cast<std::size_t>(m_chosen)];
}

void HitModel::chooseStroke(int stroke) {
    if (stroke == m_chosen)
        return;
    m_chosen = stroke;
    emit choiceChanged();
}

void HitModel::step(Id element, int by, double fromS) {
    if (m_analysis == nullptr)
        return;
    const int input = m_analysis->inputOf(element);
    const int drum = input < 0 ? -1 : m_analysis->hits.kit.drumOf[static_cast<std::size_t>(input)];
    const auto* now = chosen();
    const double atS = now != nullptr && now->drum == drum ? now->timeS : fromS;
    const auto& strokes = m_analysis->hits.strokes;
    int best = -1;
    for (std::size_t i = 0; i < strokes.size(); ++i) {
        if (strokes[i].drum != drum)
            continue;
        if (by > 0 && strokes[i].timeS > atS + 1e-6 && best < 0)
            best = static_cast<int>(i);
        if (by < 0 && strokes[i].timeS < atS - 1e-6)
            best = static_cast<int>(i);
    }
    if (best >= 0)
        chooseStroke(best);
}

void HitModel::edit(session::HitEdit edit, const QString& label) {
    auto next = m_document.session();
    next.hitEdits.push_back(std::move(edit));
    m_document.edit(std::move(next), label);
}

void HitModel::addHit(Id element, double timeS) {
    edit({session::HitEdit::Kind::Add, element, timeS, 0, {}, session::kNoId, {}},
         tr("Add hit, %1").arg(QString::fromStdString(m_document.session().nameOf(element))));
}

void HitModel::removeChosen() {
    const auto* hit = chosen();
    const Id element = hit == nullptr ? session::kNoId : m_analysis->elementOf(hit->drum);
    if (element == session::kNoId)
        return;
    edit({session::HitEdit::Kind::Remove, element, hit->timeS, 0, {}, session::kNoId, {}},
         tr("Delete hit, %1").arg(QString::fromStdString(m_document.session().nameOf(element))));
}

void HitModel::moveChosen(double toS) {
    const auto* hit = chosen();
    const Id element = hit == nullptr ? session::kNoId : m_analysis->elementOf(hit->drum);
    if (element == session::kNoId || std::abs(toS - hit->timeS) < 1e-6)
        return;
    edit({session::HitEdit::Kind::Move, element, hit->timeS, toS, {}, session::kNoId, {}},
         tr("Move hit, %1").arg(QString::fromStdString(m_document.session().nameOf(element))));
}

void HitModel::classChosen(measure::HitClass hitClass) {
    const auto* hit = chosen();
    const Id element = hit == nullptr ? session::kNoId : m_analysis->elementOf(hit->drum);
    if (element == session::kNoId)
        return;
    edit({session::HitEdit::Kind::Class,
          element,
          hit->timeS,
          0,
          std::string(measure::hitClassName(hitClass)),
          session::kNoId,
          {}},
         tr("Class of hit, %1").arg(QString::fromStdString(m_document.session().nameOf(element))));
}

void HitModel::giveChosenTo(Id to) {
    const auto* hit = chosen();
    const Id element = hit == nullptr ? session::kNoId : m_analysis->elementOf(hit->drum);
    if (element == session::kNoId || to == element)
        return;
    edit({session::HitEdit::Kind::Owner, element, hit->timeS, 0, {}, to, {}},
         tr("Owner of hit, %1").arg(QString::fromStdString(m_document.session().nameOf(element))));
}

void HitModel::setTempo(double bpm, double firstBarS) {
    auto next = m_document.session();
    next.tempo.bpm = bpm;
    next.tempo.firstBarS = firstBarS;
    m_document.edit(std::move(next), tr("Tempo"), QStringLiteral("tempo"));
}

} // namespace cask::app
