#include "app/models/hit_model.h"

#include "app/models/priorities.h"
#include "core/measure/hits/loop_hits.h"

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

constexpr int kHitQuietMs = 120; // several files may become ready at once

void mix(std::size_t& seed, std::size_t value) {
    seed ^= value + 0x9e3779b97f4a7c15ULL + (seed << 6U) + (seed >> 2U);
}

layers::StrikeEdit strikeEdit(const session::HitEdit& pattern, double timeS, double moveS) {
    using Kind = layers::StrikeEdit::Kind;
    const auto kind = pattern.kind == session::HitEdit::Kind::Remove ? Kind::Remove
                      : pattern.kind == session::HitEdit::Kind::Move ? Kind::Move
                                                                     : Kind::Class;
    return {kind, timeS, moveS, pattern.hitClass};
}

} // namespace

HitModel::HitModel(Document& document, Analyst& analyst, QObject* parent)
    : QObject(parent), m_document(document), m_analyst(analyst), m_patterns(document, analyst.pool()),
      m_jobs(analyst.pool()) {
    m_timer.setSingleShot(true);
    m_timer.setInterval(kHitQuietMs);
    connect(&m_timer, &QTimer::timeout, this, &HitModel::start);
    connect(&document, &Document::changed, this, &HitModel::follow);
    connect(&document, &Document::opened, this, [this] {
        m_cancel.cancel();
        ++m_generation;
        m_isRunning = false;
        m_analysis.reset();
        m_chosen = -1;
        m_selection.clear();
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
        number(e->input.rightShiftMs);
        mix(key, std::hash<std::string>()(e->name));
        for (const auto& ref : e->channels) {
            mix(key, static_cast<std::size_t>(ref.file * 64 + ref.channel));
            const auto* state = m_analyst.file(ref.file);
            mix(key, static_cast<std::size_t>(state == nullptr ? 0 : state->trailsNumber));
        }
    }
    for (const auto& edit : s.hitEdits) {
        mix(key, static_cast<std::size_t>(edit.kind) * 31 + static_cast<std::size_t>(edit.element));
        number(edit.timeS);
        number(edit.toS);
        mix(key, std::hash<std::string>()(edit.hitClass) + static_cast<std::size_t>(edit.toElement));
        mix(key, std::hash<std::string>()(edit.drum + " " + edit.toDrum));
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
    m_jobs.post(
        [this, snapshot, trails = std::move(trails), generation, cancel = m_cancel] {
            const auto result = kit::analyseHits(
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
                    takeAnalysis(*result);
                },
                Qt::QueuedConnection);
        },
        kHitPriority);
}

const std::vector<measure::HeardHit>& HitModel::heardIn(int input) const {
    static const std::vector<measure::HeardHit> kNone;
    const auto it = m_heard.find(input);
    return m_analysis == nullptr || it == m_heard.end() ? kNone : it->second;
}

const measure::DrumHit* HitModel::chosen() const {
    if (m_analysis == nullptr || m_chosen < 0 ||
        m_chosen >= static_cast<int>(m_analysis->hits.strokes.size()))
        return nullptr;
    return &m_analysis->hits.strokes[static_cast<std::size_t>(m_chosen)];
}

/// Selected hits are found again by their drum and time.
void HitModel::takeAnalysis(const std::shared_ptr<const kit::HitAnalysis>& analysis) {
    struct Place {
        Id element;
        std::string drum;
        double timeS;
        bool isChosen;
    };
    std::vector<Place> places;
    for (const int stroke : m_selection) {
        const auto& hit = m_analysis->hits.strokes[static_cast<std::size_t>(stroke)];
        places.push_back({m_analysis->elementOf(hit.drum),
                          m_analysis->hits.kit.drums[static_cast<std::size_t>(hit.drum)].name, hit.timeS,
                          stroke == m_chosen});
    }
    ++m_revision;
    m_analysis = analysis;
    m_heard.clear();
    for (const auto& hit : m_analysis->hits.heard)
        m_heard[hit.input].push_back(hit);
    m_selection.clear();
    m_chosen = -1;
    constexpr double kSameS = 0.005;
    const auto& strokes = m_analysis->hits.strokes;
    for (std::size_t i = 0; i < strokes.size() && !places.empty(); ++i)
        for (const auto& place : places)
            if (std::abs(strokes[i].timeS - place.timeS) < kSameS &&
                m_analysis->elementOf(strokes[i].drum) == place.element &&
                (place.element != session::kNoId ||
                 m_analysis->hits.kit.drums[static_cast<std::size_t>(strokes[i].drum)].name == place.drum)) {
                m_selection.insert(static_cast<int>(i));
                if (place.isChosen)
                    m_chosen = static_cast<int>(i);
            }
    if (m_chosen < 0 && !m_selection.empty())
        m_chosen = *m_selection.begin();
    emit hitsChanged();
    emit choiceChanged();
}

void HitModel::chooseStroke(int stroke) {
    if (stroke == m_chosen && m_selection.size() <= 1)
        return;
    m_chosen = stroke;
    m_selection = stroke >= 0 ? std::set<int>{stroke} : std::set<int>{};
    emit choiceChanged();
}

void HitModel::toggleStroke(int stroke) {
    auto next = m_selection;
    if (!next.insert(stroke).second)
        next.erase(stroke);
    select(std::move(next));
    if (m_selection.contains(stroke) && m_chosen != stroke) {
        m_chosen = stroke;
        emit choiceChanged();
    }
}

void HitModel::select(std::set<int> strokes) {
    if (strokes == m_selection)
        return;
    m_selection = std::move(strokes);
    if (!m_selection.contains(m_chosen))
        m_chosen = m_selection.empty() ? -1 : *m_selection.begin();
    emit choiceChanged();
}

int HitModel::drumShown(Id element) const {
    const int input = m_analysis == nullptr ? -1 : m_analysis->inputOf(element);
    if (input < 0)
        return -1;
    const auto& kit = m_analysis->hits.kit;
    if (!isLoop(element))
        return kit.drumOf[static_cast<std::size_t>(input)];
    std::vector<int> counts(kit.drums.size());
    for (const auto& heard : heardIn(input)) {
        if (heard.stroke == m_chosen && m_chosen >= 0)
            return heard.drum;
        ++counts[static_cast<std::size_t>(heard.drum)];
    }
    const auto most = std::max_element(counts.begin(), counts.end());
    return most == counts.end() || *most == 0 ? -1 : static_cast<int>(most - counts.begin());
}

std::set<int> HitModel::strokesOf(Id element,
                                  const std::function<bool(const measure::DrumHit&)>& holds) const {
    std::set<int> found;
    if (m_analysis == nullptr)
        return found;
    const int drum = element == session::kNoId ? -1 : drumShown(element);
    if (element != session::kNoId && drum < 0)
        return found;
    const auto& strokes = m_analysis->hits.strokes;
    for (std::size_t i = 0; i < strokes.size(); ++i)
        if ((element == session::kNoId || strokes[i].drum == drum) && (!holds || holds(strokes[i])))
            found.insert(static_cast<int>(i));
    return found;
}

std::vector<std::pair<double, double>> HitModel::selectedStretchesS() const {
    constexpr double kBeforeS = 0.01;
    constexpr double kAfterS = 0.35;
    std::vector<std::pair<double, double>> stretches;
    for (const int stroke : m_selection) { // by time
        const double atS = m_analysis->hits.strokes[static_cast<std::size_t>(stroke)].timeS;
        const double fromS = std::max(0.0, atS - kBeforeS);
        if (!stretches.empty() && fromS <= stretches.back().second)
            stretches.back().second = atS + kAfterS;
        else
            stretches.emplace_back(fromS, atS + kAfterS);
    }
    return stretches;
}

void HitModel::step(Id element, int by, double fromS) {
    if (m_analysis == nullptr)
        return;
    const int drum = drumShown(element);
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

void HitModel::editSelected(const session::HitEdit& pattern, double moveS, const QString& one,
                            const QString& many) {
    auto next = m_document.session();
    int count = 0;
    Id last = session::kNoId;
    std::map<Id, std::vector<layers::StrikeEdit>> struck;
    for (const int stroke : m_selection) {
        const auto& hit = m_analysis->hits.strokes[static_cast<std::size_t>(stroke)];
        const auto& drum = m_analysis->hits.kit.drums[static_cast<std::size_t>(hit.drum)];
        auto edit = pattern;
        edit.drum = measure::loopDrumName(drum);
        const bool isInLoop = !edit.drum.empty();
        edit.element = isInLoop ? m_analysis->elements[static_cast<std::size_t>(drum.loop)]
                                : m_analysis->elementOf(hit.drum);
        if (edit.element == session::kNoId)
            continue; // a drum without a microphone has no name for an edit
        const bool isOwner = pattern.kind == session::HitEdit::Kind::Owner;
        if (!isInLoop && m_patterns.isPlayed(edit.element)) {
            if (!isOwner) // a strike is the element's that plays it
                struck[edit.element].push_back(strikeEdit(pattern, hit.timeS, moveS));
            continue;
        }
        if (isOwner && (pattern.toDrum.empty() == isInLoop || (isInLoop && edit.drum == pattern.toDrum) ||
                        (!isInLoop && edit.element == pattern.toElement)))
            continue; // of the other kind, or its own already
        edit.timeS = hit.timeS;
        edit.toS = pattern.kind == session::HitEdit::Kind::Move ? hit.timeS + moveS : 0;
        next.hitEdits.push_back(std::move(edit));
        last = next.hitEdits.back().element;
        ++count;
    }
    for (auto& [element, edits] : struck) {
        const QString label = edits.size() == 1 ? one.arg(QString::fromStdString(next.nameOf(element)))
                                                : many.arg(edits.size());
        m_patterns.edit(element, std::move(edits), label);
    }
    if (count == 0)
        return;
    const QString label = count == 1 ? one.arg(QString::fromStdString(next.nameOf(last))) : many.arg(count);
    m_document.edit(std::move(next), label);
}

void HitModel::addHit(Id element, double timeS) {
    if (m_patterns.isPlayed(element)) {
        m_patterns.edit(element, {{layers::StrikeEdit::Kind::Add, timeS, 0, {}}},
                        tr("Add hit, %1").arg(QString::fromStdString(m_document.session().nameOf(element))));
        return;
    }
    auto next = m_document.session();
    session::HitEdit edit;
    edit.kind = session::HitEdit::Kind::Add;
    edit.element = element;
    edit.timeS = timeS;
    if (isLoop(element)) {
        const int drum = drumShown(element);
        edit.drum = drum < 0
                        ? nameOf(measure::LoopDrum::Kick)
                        : measure::loopDrumName(m_analysis->hits.kit.drums[static_cast<std::size_t>(drum)]);
    }
    next.hitEdits.push_back(std::move(edit));
    const QString name = QString::fromStdString(next.nameOf(element));
    m_document.edit(std::move(next), tr("Add hit, %1").arg(name));
}

void HitModel::removeSelected() {
    editSelected({session::HitEdit::Kind::Remove, 0, 0, 0, {}, session::kNoId}, 0, tr("Delete hit, %1"),
                 tr("Delete %1 hits"));
}

void HitModel::moveSelected(double byS) {
    if (std::abs(byS) < 1e-6)
        return;
    editSelected({session::HitEdit::Kind::Move, 0, 0, 0, {}, session::kNoId, {}}, byS, tr("Move hit, %1"),
                 tr("Move %1 hits"));
}

void HitModel::classSelected(measure::HitClass hitClass) {
    editSelected({session::HitEdit::Kind::Class,
                  0,
                  0,
                  0,
                  std::string(measure::hitClassName(hitClass)),
                  session::kNoId,
                  {}},
                 0, tr("Class of hit, %1"), tr("Class of %1 hits"));
}

void HitModel::giveSelectedTo(Id to) {
    editSelected({session::HitEdit::Kind::Owner, 0, 0, 0, {}, to, {}}, 0, tr("Owner of hit, %1"),
                 tr("Owner of %1 hits"));
}

void HitModel::giveSelectedToDrum(const std::string& loopDrum) {
    session::HitEdit edit;
    edit.kind = session::HitEdit::Kind::Owner;
    edit.toDrum = loopDrum;
    editSelected(edit, 0, tr("Owner of hit, %1"), tr("Owner of %1 hits"));
}

bool HitModel::isLoop(Id element) const {
    const int input = m_analysis == nullptr ? -1 : m_analysis->inputOf(element);
    if (input < 0)
        return false;
    const auto& loops = m_analysis->hits.kit.loops;
    return std::find(loops.begin(), loops.end(), input) != loops.end();
}

bool HitModel::canEdit(int stroke) const {
    const auto& hit = m_analysis->hits.strokes[static_cast<std::size_t>(stroke)];
    const auto& drum = m_analysis->hits.kit.drums[static_cast<std::size_t>(hit.drum)];
    return drum.isMiked() || drum.loop >= 0;
}

void HitModel::setTempo(const session::TempoSettings& tempo) {
    auto next = m_document.session();
    if (next.tempo == tempo)
        return;
    next.tempo = tempo;
    m_document.edit(std::move(next), tr("Tempo"), QStringLiteral("tempo"));
}

} // namespace cask::app
