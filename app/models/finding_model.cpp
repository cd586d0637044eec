#include "app/models/finding_model.h"

#include "app/models/priorities.h"
#include "core/kit_measures/gates.h"
#include "core/kit_measures/partners.h"
#include "core/kit_measures/same_audio.h"
#include "core/project/offline_sources.h"

#include <algorithm>

namespace cask::app {
namespace {

constexpr int kFindingQuietMs = 200; // after the last edit

} // namespace

FindingModel::FindingModel(Document& document, Analyst& analyst, HitModel& hits, ToneModel& tones,
                           QObject* parent)
    : QObject(parent), m_document(document), m_analyst(analyst), m_hits(hits), m_tones(tones),
      m_punches(document, analyst, hits), m_jobs(analyst.pool()) {
    m_styles = advise::loadHouseStyles();
    for (const auto& problem : m_styles.problems)
        document.addNote(QString::fromStdString(problem));
    m_timer.setSingleShot(true);
    m_timer.setInterval(kFindingQuietMs);
    connect(&m_timer, &QTimer::timeout, this, &FindingModel::measure);
    connect(&document, &Document::changed, this, &FindingModel::follow);
    connect(&document, &Document::opened, this, [this] {
        m_cancel.cancel();
        ++m_generation;
        m_isMeasuring = false;
        m_pairs.clear();
        m_sames.clear();
        m_gates.clear();
        m_measured.reset();
        m_measuredHits.reset();
        follow();
    });
    connect(&hits, &HitModel::hitsChanged, this, &FindingModel::follow);
    connect(&analyst, &Analyst::fileChanged, this, [this] { m_isStale = true; });
    connect(&analyst, &Analyst::progressChanged, this, [this] { // once for many files
        if (m_isStale)
            update();
    });
    connect(&tones, &ToneModel::changed, this, &FindingModel::update);
    connect(&m_punches, &PunchWatch::changed, this, &FindingModel::update);
    follow();
}

FindingModel::~FindingModel() {
    m_cancel.cancel();
}

/// Nothing that a pair's measure rests on was changed since.
bool FindingModel::isUnchanged(Id element) const {
    const auto* before = m_measured == nullptr ? nullptr : m_measured->element(element);
    const auto* now = m_document.session().element(element);
    return before != nullptr && now != nullptr && before->role == now->role && before->input == now->input &&
           before->out.levelDb == now->out.levelDb && before->startFrame == now->startFrame &&
           before->channels == now->channels;
}

/// The gate of an element, all that it rests on besides the sound.
bool FindingModel::hasSameGate(Id element) const {
    const auto* before = m_measured == nullptr ? nullptr : m_measured->element(element);
    const auto* now = m_document.session().element(element);
    if (before == nullptr || now == nullptr)
        return false;
    const auto* a = session::findModule<dsp::GateSettings>(before->chain);
    const auto* b = session::findModule<dsp::GateSettings>(now->chain);
    return (a == nullptr) == (b == nullptr) &&
           (a == nullptr || (*a == *b && m_measured->sections == m_document.session().sections));
}

const advise::GateMeasure* FindingModel::gateOf(Id element) const {
    for (const auto& gate : m_gates)
        if (gate.element == element && isUnchanged(element))
            return &gate;
    return nullptr;
}

std::optional<int> FindingModel::gateKeptPercent(Id element) const {
    const auto* gate = gateOf(element);
    if (gate == nullptr || !gate->now || !hasSameGate(element) || gate->now->all.own() == 0)
        return std::nullopt;
    return 100 * gate->now->all.ownKept() / gate->now->all.own();
}

std::optional<double> FindingModel::spillChangeDb() const {
    double before = 0;
    double after = 0;
    bool any = false;
    for (const auto& gate : m_gates) {
        if (!isUnchanged(gate.element))
            continue;
        before += gate.spillEnergy;
        const auto* m =
            session::findModule<dsp::GateSettings>(m_document.session().element(gate.element)->chain);
        const bool isGated =
            gate.now && m != nullptr && m->isOn && hasSameGate(gate.element) && gate.now->all.spillBefore > 0;
        any = any || isGated;
        after += isGated ? gate.spillEnergy * gate.now->all.spillAfter / gate.now->all.spillBefore
                         : gate.spillEnergy;
    }
    return any && before > 0 ? std::optional(powerToDb(after / before)) : std::nullopt;
}

void FindingModel::follow() {
    m_punches.setStyle(style());
    const auto hits = m_hits.shared();
    const auto& s = m_document.session();
    const bool isCurrent = hits == m_measuredHits && m_gateStyle == style() &&
                           std::all_of(s.elements.begin(), s.elements.end(), [&](const auto& e) {
                               return isUnchanged(e->id) && hasSameGate(e->id);
                           });
    if (hits && !isCurrent) {
        m_cancel.cancel();
        m_timer.start();
    }
    update();
}

void FindingModel::measure() {
    const auto hits = m_hits.shared();
    const auto snapshot = m_document.snapshot();
    if (!hits)
        return;
    std::map<Id, std::shared_ptr<const measure::FileTrails>> trails;
    for (const auto& file : snapshot->files)
        if (const auto* state = m_analyst.file(file->id); state != nullptr && state->trails)
            trails[file->id] = state->trails;
    // Ways that were searched on the same sound need no new search.
    std::vector<advise::GateMeasure> known;
    if (hits == m_measuredHits && m_gateStyle == style())
        for (const auto& gate : m_gates)
            if (isUnchanged(gate.element))
                known.push_back(gate);
    m_cancel = CancelToken();
    m_isMeasuring = true;
    const int generation = ++m_generation;
    m_jobs.post(
        [this, hits, snapshot, generation, trails = std::move(trails), known = std::move(known),
         gateStyle = style(), cancel = m_cancel, folder = m_document.folder()] {
            const auto sources = project::openOfflineSources(*snapshot, folder, cancel);
            if (!sources)
                return;
            auto pairs = kit::alignPartners(*snapshot, *hits, sources->lookup(), cancel);
            auto sides = kit::measureSides(*snapshot, *hits, sources->lookup(), cancel);
            auto sames = kit::findSameAudio(
                *snapshot,
                [&](Id file) {
                    const auto it = trails.find(file);
                    return it == trails.end() ? nullptr : it->second;
                },
                sources->lookup(), cancel);
            auto gates = kit::measureGates(*snapshot, *hits, sources->lookup(), gateStyle, cancel, {}, known);
            QMetaObject::invokeMethod(
                this,
                [this, generation, hits, snapshot, gateStyle, gates = std::move(gates),
                 pairs = std::move(pairs), sides = std::move(sides), sames = std::move(sames)] {
                    if (generation != m_generation)
                        return;
                    m_isMeasuring = false;
                    if (!pairs || !gates)
                        return;
                    m_pairs = *pairs;
                    m_gates = *gates;
                    m_gateStyle = gateStyle;
                    m_sides = sides;
                    m_sames = sames;
                    m_measured = snapshot;
                    m_measuredHits = hits;
                    update();
                },
                Qt::QueuedConnection);
        },
        kMeasuringPriority);
}

void FindingModel::update() {
    m_isStale = false;
    const auto& s = m_document.session();
    advise::KitMeasures measures;
    for (const auto& file : s.files) {
        const auto* state = m_analyst.file(file->id);
        if (state == nullptr)
            continue;
        auto& known = measures.files[file->id];
        known.problem = state->problem.toStdString();
        for (const auto& warning : state->warnings)
            known.warnings.push_back(warning.toStdString());
        known.analysis = state->analysis;
    }
    measures.hits = m_hits.shared();
    for (const auto& pair : m_pairs)
        if (isUnchanged(pair.first) && isUnchanged(pair.second))
            measures.pairs.push_back(pair);
    for (const auto& sides : m_sides)
        if (isUnchanged(sides.element))
            measures.sides.push_back(sides);
    measures.sames = m_sames;
    for (const auto& gate : m_gates) {
        if (!isUnchanged(gate.element))
            continue;
        measures.gates.push_back(gate);
        if (!hasSameGate(gate.element)) { // what it did is measured anew; a gate that is new has no proposal
            if (session::findModule<dsp::GateSettings>(s.element(gate.element)->chain) != nullptr)
                measures.gates.pop_back();
            else
                measures.gates.back().now.reset();
        }
    }
    measures.tones = m_tones.tones();
    measures.hums = m_tones.hums();
    if (m_tones.mix() != nullptr)
        measures.mix = *m_tones.mix();
    measures.headroom = m_headroom;
    measures.punch = m_punches.punch();
    measures.drive = m_punches.drive();
    measures.crowd = m_punches.crowd();
    m_findings = advise::advise(s, measures, style());
    emit findingsChanged();
}

void FindingModel::takeHeadroom(const std::optional<Headroom>& headroom) {
    if (headroom == m_headroom)
        return;
    m_headroom = headroom;
    update();
}

const advise::Finding* FindingModel::find(const std::string& id) const {
    const auto it =
        std::find_if(m_findings.begin(), m_findings.end(), [&](const auto& f) { return f.id == id; });
    return it == m_findings.end() ? nullptr : &*it;
}

int FindingModel::openCount(Id element, Stage stage) const {
    return static_cast<int>(std::count_if(m_findings.begin(), m_findings.end(), [&](const auto& f) {
        return f.element == element && f.stage == stage && f.isOpen();
    }));
}

std::optional<advise::Severity> FindingModel::worstOpen(Id element, Stage stage) const {
    std::optional<advise::Severity> worst;
    for (const auto& f : m_findings)
        if (f.element == element && f.stage == stage && f.isOpen() && (!worst || f.severity > *worst))
            worst = f.severity;
    return worst;
}

int FindingModel::openCount() const {
    return static_cast<int>(
        std::count_if(m_findings.begin(), m_findings.end(), [](const auto& f) { return f.isOpen(); }));
}

QString FindingModel::openSentences(Id element, Stage stage) const {
    QStringList sentences;
    for (const auto& f : m_findings)
        if (f.element == element && f.stage == stage && f.isOpen())
            sentences << QString::fromStdString(f.sentence);
    return sentences.join(QLatin1Char('\n'));
}

const advise::PairMeasure* FindingModel::pair(Id first, Id second) const {
    for (const auto& pair : m_pairs)
        if (pair.first == first && pair.second == second && isUnchanged(first) && isUnchanged(second))
            return &pair;
    return nullptr;
}

void FindingModel::keep(const std::string& id) {
    const auto* finding = find(id);
    if (finding == nullptr || !finding->proposal)
        return;
    const auto proposal = *finding->proposal;
    m_document.edit(proposal.apply(m_document.session()), QString::fromStdString(proposal.words), {},
                    Document::Spreads::No);
}

void FindingModel::dismiss(const std::string& id, const QString& reason) {
    if (find(id) == nullptr || reason.trimmed().isEmpty())
        return;
    m_document.edit(advise::withDismissal(m_document.session(), id, reason.trimmed().toStdString()),
                    tr("Lay finding aside"));
}

void FindingModel::takeUpAgain(const std::string& id) {
    m_document.edit(advise::withDismissal(m_document.session(), id, {}), tr("Take finding up again"));
}

const advise::HouseStyle& FindingModel::style() const {
    return m_styles.find(m_document.session().houseStyle);
}

void FindingModel::setStyle(const std::string& id) {
    auto next = m_document.session();
    next.houseStyle = id;
    m_document.edit(std::move(next),
                    tr("House style %1").arg(QString::fromStdString(m_styles.find(id).name)));
    emit styleChanged();
}

void FindingModel::reloadStyles() {
    m_styles = advise::loadHouseStyles();
    for (const auto& problem : m_styles.problems)
        m_document.addNote(QString::fromStdString(problem));
    update();
    emit styleChanged();
}

std::string FindingModel::referenceName(Id element) const {
    const auto& s = m_document.session();
    return s.name + ", " + s.nameOf(element);
}

bool FindingModel::isReference(Id element) const {
    const auto* e = m_document.session().element(element);
    return e != nullptr && style().references.find(e->role, referenceName(element)) != nullptr;
}

void FindingModel::keepReference(Id element) {
    const auto* e = m_document.session().element(element);
    const auto* tone = m_tones.tone(element);
    const auto shape = tone == nullptr ? std::nullopt : measure::shapeOf(tone->spectra.own);
    if (e == nullptr || !shape)
        return;
    auto changed = style();
    changed.references.keep({e->role, referenceName(element), *shape});
    const auto count = std::count_if(changed.references.drums.begin(), changed.references.drums.end(),
                                     [role = e->role](const auto& drum) { return drum.role == role; });
    const int missing = advise::ToneReferences::kEnough - static_cast<int>(count);
    const QString role = QString::fromStdString(std::string(roleInfo(e->role).name));
    saveReferences(changed, missing > 0
                                ? tr("%1 is kept as a reference for %2; %3 more and they make the range.")
                                      .arg(QString::fromStdString(e->name), role)
                                      .arg(missing)
                                : tr("%1 is kept as a reference for %2, one of %3.")
                                      .arg(QString::fromStdString(e->name), role)
                                      .arg(count));
}

void FindingModel::forgetReference(Id element) {
    const auto* e = m_document.session().element(element);
    if (e == nullptr)
        return;
    auto changed = style();
    changed.references.forget(e->role, referenceName(element));
    saveReferences(changed, tr("%1 is no reference any more.").arg(QString::fromStdString(e->name)));
}

void FindingModel::saveReferences(const advise::HouseStyle& changed, const QString& said) {
    const auto saved = advise::saveReferences(changed);
    m_document.addNote(saved ? said : QString::fromStdString(saved.error().message));
    reloadStyles();
}

} // namespace cask::app
