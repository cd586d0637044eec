#include "app/models/gate_model.h"

#include "app/models/priorities.h"
#include "core/kit_measures/gates.h"
#include "core/project/offline_sources.h"
#include "core/session/edits.h"
#include "core/session/parameters.h"
#include "core/session/session_json.h"

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

constexpr int kGateQuietMs = 120; // before the detector is measured anew
constexpr int kGateRestMs = 200;  // before a gate is judged exactly

bool hasSameDetector(const dsp::GateSettings& a, const dsp::GateSettings& b) {
    return a.lowCutHz == b.lowCutHz && a.highCutHz == b.highCutHz &&
           a.cutSlopeDbPerOct == b.cutSlopeDbPerOct && a.detector == b.detector && a.reach == b.reach &&
           a.fromHz == b.fromHz && a.toHz == b.toHz;
}

/// Mean power of own hits, millisecond by millisecond.
std::vector<float> averageOf(const measure::HitMaterial& m) {
    constexpr int kSteps = GateModel::kBeforeMs + GateModel::kAfterMs;
    std::vector<double> power(kSteps, 0.0);
    int count = 0;
    const double frames = 0.001 * m.rateHz;
    for (const auto& hit : m.hits) {
        if (!hit.isOwn || hit.hitClass == measure::HitClass::Ghost)
            continue;
        const double first = (hit.timeS - m.startS) * m.rateHz - GateModel::kBeforeMs * frames;
        if (first < 0 || first + kSteps * frames >= static_cast<double>(m.frames()))
            continue;
        ++count;
        for (int i = 0; i < kSteps; ++i) {
            const auto from = static_cast<std::size_t>(first + i * frames);
            const auto to = static_cast<std::size_t>(first + (i + 1) * frames);
            double sum = 0;
            for (const auto& channel : m.sound)
                for (std::size_t n = from; n < to; ++n)
                    sum += static_cast<double>(channel[n]) * channel[n];
            power[static_cast<std::size_t>(i)] +=
                sum / static_cast<double>(std::max<std::size_t>(1, to - from));
        }
    }
    std::vector<float> db;
    if (count > 0)
        for (const double p : power)
            db.push_back(static_cast<float>(powerToDb(p / count + 1e-12)));
    return db;
}

/// Own hit whose level is in the middle.
int middlingOf(const std::vector<measure::MaterialHit>& hits) {
    std::vector<std::pair<double, int>> own;
    for (std::size_t i = 0; i < hits.size(); ++i)
        if (hits[i].isOwn)
            own.emplace_back(hits[i].levelDb, static_cast<int>(i));
    if (own.empty())
        return -1;
    std::nth_element(own.begin(), own.begin() + static_cast<std::ptrdiff_t>(own.size() / 2), own.end());
    return own[own.size() / 2].second;
}

} // namespace

GateModel::GateModel(Document& document, Analyst& analyst, HitModel& hits, QObject* parent)
    : QObject(parent), m_document(document), m_analyst(analyst), m_hits(hits), m_jobs(analyst.pool()) {
    for (auto* timer : {&m_prepareTimer, &m_exactTimer})
        timer->setSingleShot(true);
    m_prepareTimer.setInterval(kGateQuietMs);
    m_exactTimer.setInterval(kGateRestMs);
    connect(&m_prepareTimer, &QTimer::timeout, this, &GateModel::prepare);
    connect(&m_exactTimer, &QTimer::timeout, this, &GateModel::judgeExactly);
    for (const auto signal : {&Document::changed, &Document::selectionChanged, &Document::opened})
        connect(&document, signal, this, &GateModel::follow);
    connect(&hits, &HitModel::hitsChanged, this, &GateModel::follow);
}

GateModel::~GateModel() {
    m_cancel.cancel();
}

void GateModel::setActive(bool on) {
    if (m_isActive == on)
        return;
    m_isActive = on;
    follow();
}

Id GateModel::element() const {
    return m_document.session().element(m_document.selected()) != nullptr ? m_document.selected()
                                                                          : session::kNoId;
}

const session::Module* GateModel::module() const {
    const auto* e = m_document.session().element(m_document.selected());
    return e == nullptr ? nullptr : session::findModule<dsp::GateSettings>(e->chain);
}

dsp::GateSettings GateModel::settings() const {
    const auto* m = module();
    if (m != nullptr)
        return std::get<dsp::GateSettings>(m->settings);
    return m_ready ? measure::gateStart(m_ready->nature) : dsp::GateSettings{};
}

const std::vector<double>& GateModel::levelsDb() const {
    static const std::vector<double> kNone;
    return m_ready ? m_ready->levelsDb : kNone;
}
const std::vector<measure::GateBand>& GateModel::bands() const {
    static const std::vector<measure::GateBand> kNone;
    return m_ready ? m_ready->bands : kNone;
}
measure::HitNature GateModel::nature() const {
    return m_ready ? m_ready->nature : measure::HitNature{};
}
const std::vector<float>& GateModel::averageDb() const {
    static const std::vector<float> kNone;
    return m_ready ? m_ready->averageDb : kNone;
}

/// Changes when the sound that enters the gate, its key or its hits do.
std::size_t GateModel::keyOfMaterial() const {
    const auto& s = m_document.session();
    const auto* e = s.element(element());
    if (e == nullptr || m_hits.shared() == nullptr)
        return 0;
    std::size_t key = 1469598103934665603U;
    const auto mix = [&](double value) { key = (key ^ std::hash<double>{}(value)) * 1099511628211U; };
    const auto add = [&](const session::Element& x) {
        mix(x.id);
        for (const auto& ref : x.channels) {
            mix(ref.file);
            mix(ref.channel);
        }
        mix(x.input.trimDb);
        mix(x.input.shiftMs);
        mix(x.input.rightShiftMs);
        mix(static_cast<double>(x.startFrame));
    };
    add(*e);
    const auto* m = module();
    const Id listens = m == nullptr ? session::kNoId : m->key;
    mix(listens);
    const bool isSource = m == nullptr || m->keyTap == session::KeyTap::Source;
    if (const auto* other = s.element(listens); other != nullptr && isSource) {
        add(*other);
    } else if (s.output(listens) != nullptr) {
        // What comes out of a chain may change anywhere but in this element, which does not feed it.
        const auto rest = session::withChain(s, e->id, [](auto& chain) { chain.clear(); });
        mix(static_cast<double>(std::hash<std::string>{}(session::toJson(rest))));
    }
    mix(m_hits.revision());
    for (const auto& section : s.sections) {
        mix(section.startS);
        mix(section.endS);
        mix(static_cast<double>(std::hash<std::string>{}(section.name)));
    }
    return key;
}

void GateModel::follow() {
    if (!m_isActive)
        return;
    const std::size_t key = keyOfMaterial();
    if (key != m_materialKey) {
        m_materialKey = key;
        m_ready.reset();
        m_report.reset();
        m_judged.reset();
        m_gainDb.clear();
        m_chosen = -1;
        m_cancel.cancel();
        ++m_generation;
        m_isPreparing = false;
        if (key != 0)
            m_prepareTimer.start(0);
        emit changed();
        return;
    }
    if (m_ready && !hasSameDetector(settings(), m_ready->detectorOf))
        m_prepareTimer.start(kGateQuietMs);
    judge();
}

std::vector<measure::GateTurn> GateModel::turns() const {
    const auto* m = module();
    return m == nullptr ? std::vector<measure::GateTurn>{} : kit::gateTurns(m_document.session(), *m);
}

void GateModel::prepare() {
    const auto hits = m_hits.shared();
    const Id id = element();
    if (!hits || id == session::kNoId)
        return;
    m_cancel.cancel();
    m_cancel = CancelToken();
    m_isPreparing = true;
    const int generation = ++m_generation;
    const auto* m = module();
    m_jobs.post(
        [this, generation, hits, id, snapshot = m_document.snapshot(), folder = m_document.folder(),
         key = m == nullptr ? session::kNoId : m->key,
         tap = m == nullptr ? session::KeyTap::Source : m->keyTap,
         known = m_ready ? m_ready->material : nullptr,
         wanted = m == nullptr ? std::optional<dsp::GateSettings>() : settings(), cancel = m_cancel] {
            auto ready = std::make_shared<Ready>();
            ready->material = known;
            if (!known) {
                const auto sources = project::openOfflineSources(*snapshot, folder, cancel);
                if (!sources)
                    return;
                auto material = kit::hitMaterial(*snapshot, id, key, *hits, sources->lookup(), cancel, tap);
                if (!material)
                    return;
                ready->material = *material;
            }
            ready->nature = measure::measureNature(*ready->material);
            ready->detectorOf = wanted.value_or(measure::gateStart(ready->nature));
            ready->tracks = std::make_unique<measure::GateTracks>(*ready->material);
            const auto& track = ready->tracks->coarse(ready->detectorOf);
            for (const auto& hit : ready->material->hits)
                ready->levelsDb.push_back(measure::hitLevelDb(track, hit.timeS));
            ready->bands = measure::measureSeparation(*ready->material, measure::GateWants::Ghosts);
            ready->averageDb = averageOf(*ready->material);
            ready->middling = middlingOf(ready->material->hits);
            QMetaObject::invokeMethod(
                this,
                [this, generation, ready] {
                    if (generation != m_generation)
                        return;
                    m_isPreparing = false;
                    m_ready = ready;
                    m_judged.reset();
                    judge();
                },
                Qt::QueuedConnection);
        },
        kMeasuringPriority);
}

void GateModel::judge() {
    if (!m_ready || !hasSameDetector(settings(), m_ready->detectorOf)) {
        emit changed();
        return;
    }
    const auto now = settings();
    m_report = std::make_shared<const measure::GateReport>(
        judgeGate(*m_ready->tracks, now, measure::GatePrecision::Coarse, m_ready->nature.ownMs(), turns()));
    m_gainDb.clear();
    if (m_ready->middling >= 0) {
        const double t = m_ready->material->hits[static_cast<std::size_t>(m_ready->middling)].timeS;
        m_gainDb = measure::gateGainDb(*m_ready->tracks, now, t - 0.001 * kBeforeMs, t + 0.001 * kAfterMs,
                                       static_cast<std::size_t>(2 * (kBeforeMs + kAfterMs)));
    }
    m_exactTimer.start();
    emit changed();
}

void GateModel::judgeExactly() {
    if (!m_ready)
        return;
    m_isJudging = true;
    const int generation = ++m_judgeGeneration;
    m_jobs.post(
        [this, generation, now = settings(), turns = turns(), material = m_ready->material,
         ownMs = m_ready->nature.ownMs(), exact = m_exact, cancel = m_cancel] {
            std::shared_ptr<const measure::GateReport> report;
            {
                const std::lock_guard lock(exact->mutex);
                if (exact->material != material) {
                    exact->tracks = std::make_unique<measure::GateTracks>(*material);
                    exact->material = material;
                }
                report = std::make_shared<const measure::GateReport>(
                    judgeGate(*exact->tracks, now, measure::GatePrecision::Exact, ownMs, turns, cancel));
            }
            QMetaObject::invokeMethod(
                this,
                [this, generation, now, report, material] {
                    if (generation != m_judgeGeneration)
                        return;
                    m_isJudging = false;
                    if (!m_ready || m_ready->material != material || !(settings() == now))
                        return;
                    m_report = report;
                    emit changed();
                },
                Qt::QueuedConnection);
        },
        kMeasuringPriority);
}

int GateModel::nextFault(Fault fault, int by) {
    if (!m_report || !m_ready)
        return -1;
    const auto& hits = m_ready->material->hits;
    const int count = static_cast<int>(hits.size());
    for (int step = 1; step <= count; ++step) {
        const int from = m_chosen < 0 ? (by > 0 ? -1 : count) : m_chosen;
        const int i = ((from + by * step) % count + count) % count;
        const auto& gated = m_report->hits[static_cast<std::size_t>(i)];
        const bool isOwn = hits[static_cast<std::size_t>(i)].isOwn;
        if (fault == Fault::Lost ? isOwn && !gated.isKept() : !isOwn && gated.isKept())
            return i;
    }
    return -1;
}

void GateModel::chooseHit(int hit) {
    m_chosen = hit;
    emit hitChosen();
}

} // namespace cask::app
