#include "app/models/punch_model.h"

#include "app/models/material_key.h"
#include "app/models/priorities.h"
#include "core/kit_measures/punch.h"
#include "core/project/offline_sources.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"

#include <algorithm>
#include <cmath>
#include <tuple>
#include <variant>

namespace cask::app {
namespace {

constexpr int kPunchQuietMs = 8; // while dragging
constexpr int kPunchRestMs = 300;
constexpr double kUnderHitsDb = 8; // of a new compressor's threshold

bool isCompressor(const session::Module& m) {
    return std::holds_alternative<dsp::CompressorSettings>(m.settings);
}

/// What is measured of the module that is set.
struct Setting {
    std::variant<dsp::CompressorSettings, dsp::TransientSettings, dsp::LimiterSettings> settings;
    std::vector<measure::CompressionTurn> compressing;
    std::vector<measure::ShapingTurn> shaping;
};

measure::QuickPunch measured(const measure::HitMaterial& material, const std::vector<float>& powers,
                             const Setting& now, const CancelToken& cancel) {
    const ParallelFor parallel = [](std::size_t count, const auto& run) { inParallel(count, run); };
    if (const auto* shaper = std::get_if<dsp::TransientSettings>(&now.settings))
        return measure::measureQuickly(material, powers, *shaper, now.shaping, cancel, parallel);
    if (const auto* limiter = std::get_if<dsp::LimiterSettings>(&now.settings))
        return measure::measureQuickly(material, powers, *limiter, cancel);
    return measure::measureQuickly(material, powers, std::get<dsp::CompressorSettings>(now.settings),
                                   now.compressing, cancel, parallel);
}

measure::ShapeChange shapesOf(const measure::HitMaterial& material, const Setting& now,
                              const CancelToken& cancel) {
    const auto* limiter = std::get_if<dsp::LimiterSettings>(&now.settings);
    const auto* shaper = std::get_if<dsp::TransientSettings>(&now.settings);
    const auto after =
        limiter != nullptr ? measure::limitedSound(material, *limiter, cancel)
        : shaper != nullptr
            ? measure::shapedSound(material, *shaper, now.shaping, cancel)
            : measure::compressedSound(material, std::get<dsp::CompressorSettings>(now.settings),
                                       now.compressing, cancel);
    return measure::measureShapes(material, after, cancel);
}

Setting settingOf(const session::Session& s, const session::Module* m) {
    Setting now;
    if (m == nullptr)
        return now;
    if (isCompressor(*m)) {
        now.settings = std::get<dsp::CompressorSettings>(m->settings);
        now.compressing = kit::compressionTurns(s, *m);
    } else if (const auto* limiter = std::get_if<dsp::LimiterSettings>(&m->settings)) {
        now.settings = *limiter;
    } else {
        now.settings = std::get<dsp::TransientSettings>(m->settings);
        now.shaping = kit::shapingTurns(s, *m);
    }
    return now;
}

} // namespace

PunchModel::PunchModel(Document& document, Analyst& analyst, HitModel& hits, QObject* parent)
    : QObject(parent), m_document(document), m_analyst(analyst), m_hits(hits), m_jobs(analyst.pool()) {
    m_timer.setSingleShot(true);
    m_timer.setInterval(kPunchQuietMs);
    connect(&m_timer, &QTimer::timeout, this, &PunchModel::measure);
    m_restTimer.setSingleShot(true);
    m_restTimer.setInterval(kPunchRestMs);
    connect(&m_restTimer, &QTimer::timeout, this, &PunchModel::measureShapes);
    for (const auto signal : {&Document::changed, &Document::selectionChanged, &Document::opened})
        connect(&document, signal, this, &PunchModel::follow);
    connect(&hits, &HitModel::hitsChanged, this, &PunchModel::follow);
}

PunchModel::~PunchModel() {
    m_cancel.cancel();
}

void PunchModel::setActive(bool on) {
    if (m_isActive == on)
        return;
    m_isActive = on;
    follow();
}

std::vector<const session::Module*> PunchModel::modules() const {
    std::vector<const session::Module*> all;
    if (const auto* chain = m_document.session().chain(owner()))
        for (const auto& m : *chain)
            if (session::stageOf(m.settings) == Stage::Punch)
                all.push_back(&m);
    const auto rank = [](const session::Module& m) {
        return std::tuple(!isCompressor(m), m.settings.index(), m.ordinal);
    };
    std::stable_sort(all.begin(), all.end(), [&](auto* a, auto* b) { return rank(*a) < rank(*b); });
    return all;
}

const session::Module* PunchModel::module() const {
    const auto all = modules();
    for (const auto* m : all)
        if (m->id == m_chosen)
            return m;
    return all.empty() ? nullptr : all.front();
}

ModuleAt PunchModel::at() const {
    const auto* m = module();
    return {owner(), m == nullptr ? session::kNoId : m->id};
}

void PunchModel::choose(Id module) {
    m_chosen = module;
    follow();
}

dsp::CompressorSettings PunchModel::settings() const {
    const auto* m = module();
    return m == nullptr || !isCompressor(*m) ? dsp::CompressorSettings{}
                                             : std::get<dsp::CompressorSettings>(m->settings);
}

namespace {

template <class Settings> bool isOf(const session::Module* m) {
    return m != nullptr && std::holds_alternative<Settings>(m->settings);
}

} // namespace

bool PunchModel::isShaper() const {
    return isOf<dsp::TransientSettings>(module());
}

bool PunchModel::isPump() const {
    return isOf<dsp::PumpSettings>(module());
}

bool PunchModel::isLimiter() const {
    return isOf<dsp::LimiterSettings>(module());
}

QString PunchModel::drumName(int drum) const {
    const auto hits = m_hits.shared();
    return hits == nullptr || drum < 0 ? tr("others")
                                       : QString::fromStdString(hits->nameOf(drum, m_document.session()));
}

std::size_t PunchModel::keyOfMaterial() const {
    return m_hits.shared() == nullptr
               ? 0
               : materialKey(m_document.session(), owner(), module(), static_cast<int>(m_hits.revision()));
}

void PunchModel::setSection(const std::string& name) {
    if (m_section == name)
        return;
    m_section = name;
    cutToSection();
    emit changed();
}

void PunchModel::chooseHit(int hit) {
    if (m_chosenHit == hit)
        return;
    m_chosenHit = hit;
    cutToSection();
    emit changed();
}

const measure::HitCourse* PunchModel::course() const {
    return m_compression == nullptr ? nullptr : m_chosenHit < 0 ? &m_compression->average : &m_ofHit;
}

/// What is shown of the whole.
void PunchModel::cutToSection() {
    if (!m_whole || !m_material)
        return;
    std::vector<measure::MaterialStretch> stretches; // every section that is called so
    for (const auto& section : m_document.session().sections)
        if (section.name == m_section)
            stretches.push_back({section.name, section.startS, section.endS});
    m_compression = std::shared_ptr<const measure::Compression>(m_whole, &m_whole->compression);
    m_shapes = m_wholeShapes;
    if (!stretches.empty()) {
        auto part = within(m_whole->compression, stretches);
        part.average = averageWithin(*m_material, m_whole->cells, stretches);
        m_compression = std::make_shared<const measure::Compression>(std::move(part));
        if (m_wholeShapes)
            m_shapes = std::make_shared<const measure::ShapeChange>(within(*m_wholeShapes, stretches));
    }
    if (m_chosenHit >= static_cast<int>(m_material->hits.size()))
        m_chosenHit = -1;
    if (m_chosenHit >= 0)
        m_ofHit = courseOf(*m_material, m_whole->cells, {&m_chosenHit, 1});
}

void PunchModel::follow() {
    if (!m_isActive)
        return;
    const std::size_t key = keyOfMaterial();
    if (key != m_materialKey) {
        m_materialKey = key;
        m_material.reset();
        m_powers.reset();
        m_whole.reset();
        m_compression.reset();
        m_wholeShapes.reset();
        m_shapes.reset();
        m_chosenHit = -1;
        m_cancel.cancel();
    }
    ++m_generation;
    m_isShaping = false;
    m_isRough = true;
    // While a value is dragged it is measured again and again, not once it is let go.
    if (key != 0 && isMeasured() && !m_timer.isActive())
        m_timer.start();
    emit changed();
}

void PunchModel::measure() {
    if (m_materialKey == 0 || !m_isActive || !isMeasured())
        return;
    if (m_isMeasuring) {
        m_isAwaited = true; // the latest wish wins
        return;
    }
    m_cancel = CancelToken();
    m_isMeasuring = true;
    m_jobs.post(
        [this, key = m_materialKey, hits = m_hits.shared(), at = at(), snapshot = m_document.snapshot(),
         folder = m_document.folder(), known = m_material, knownPowers = m_powers,
         now = settingOf(m_document.session(), module()), cancel = m_cancel] {
            auto material = known;
            auto powers = knownPowers;
            std::shared_ptr<const measure::QuickPunch> punch;
            if (!material && hits)
                if (const auto sources = project::openOfflineSources(*snapshot, folder, cancel))
                    if (auto found = kit::punchMaterial(*snapshot, at.owner, at.module, *hits,
                                                        sources->lookup(), cancel)) {
                        material = *found;
                        powers = std::make_shared<const std::vector<float>>(loudnessPowers(*material));
                    }
            if (material)
                punch =
                    std::make_shared<const measure::QuickPunch>(measured(*material, *powers, now, cancel));
            QMetaObject::invokeMethod(
                this, [this, key, material, powers, punch] { take(key, material, powers, punch); },
                Qt::QueuedConnection);
        },
        kMeasuringPriority);
}

void PunchModel::take(std::size_t key, const std::shared_ptr<const measure::HitMaterial>& material,
                      const std::shared_ptr<const std::vector<float>>& powers,
                      const std::shared_ptr<const measure::QuickPunch>& punch) {
    m_isMeasuring = false;
    const auto* m = module();
    if (key == m_materialKey && punch && !m_cancel.isCancelled()) {
        m_material = material;
        m_powers = powers;
        m_whole = punch;
        m_wholeShapes.reset();
        if (m != nullptr && m->key == session::kNoId)
            m_wholeShapes = std::shared_ptr<const measure::ShapeChange>(punch, &punch->shapes);
        m_isRough = true;
        cutToSection();
        m_restTimer.start();
    }
    if (std::exchange(m_isAwaited, false) || key != m_materialKey)
        m_timer.start();
    emit changed();
}

void PunchModel::measureShapes() {
    const auto* m = module();
    if (!m_material || !m_isActive || m == nullptr || m->key != session::kNoId || !isMeasured())
        return;
    m_isShaping = true;
    m_jobs.post(
        [this, generation = m_generation, material = m_material, now = settingOf(m_document.session(), m),
         cancel = m_cancel] {
            auto shapes = std::make_shared<const measure::ShapeChange>(shapesOf(*material, now, cancel));
            QMetaObject::invokeMethod(
                this,
                [this, generation, shapes] {
                    if (generation != m_generation)
                        return;
                    m_isShaping = false;
                    m_wholeShapes = shapes;
                    m_isRough = false;
                    cutToSection();
                    emit changed();
                },
                Qt::QueuedConnection);
        },
        kMeasuringPriority);
}

void PunchModel::addModule(const session::ModuleSettings& settings, const QString& label) {
    auto next = m_document.session();
    if (next.chain(owner()) == nullptr)
        return;
    m_chosen = session::addModule(next, owner(), settings);
    const QString name = QString::fromStdString(next.nameOf(owner()));
    m_document.edit(std::move(next), label.arg(name));
}

void PunchModel::add() {
    dsp::CompressorSettings start;
    // So far under the middle of the hits that it works on all but the softest.
    if (const auto* c = compression(); c != nullptr && !c->hits.empty()) {
        std::vector<double> levels;
        for (const auto& hit : c->hits)
            levels.push_back(hit.levelDb);
        const auto middle = levels.begin() + static_cast<std::ptrdiff_t>(levels.size() / 2);
        std::nth_element(levels.begin(), middle, levels.end());
        start.thresholdDb = std::clamp(std::round(*middle - kUnderHitsDb), -60.0, -3.0);
    }
    addModule(start, tr("Add a compressor, %1"));
}

void PunchModel::addShaper() {
    addModule(dsp::TransientSettings{}, tr("Add a transient shaper, %1"));
}

void PunchModel::addPump() {
    addModule(dsp::PumpSettings{}, tr("Add a pump, %1"));
}

void PunchModel::addLimiter() {
    addModule(dsp::LimiterSettings{}, tr("Add a limiter, %1"));
}

} // namespace cask::app
