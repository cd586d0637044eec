#include "app/models/drive_model.h"

#include "app/models/material_key.h"
#include "app/models/priorities.h"
#include "core/kit_measures/drive.h"
#include "core/kit_measures/punch.h"
#include "core/project/offline_sources.h"

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

constexpr int kDriveQuietMs = 8; // while dragging
constexpr int kDriveRestMs = 400;
constexpr int kSampleHits = 12;
constexpr double kDriveMostS = 60;

} // namespace

struct DriveModel::Heard {
    std::shared_ptr<const measure::HitMaterial> material, sample;
    std::shared_ptr<const measure::DriveBefore> sampleBefore;
    std::shared_ptr<const measure::DriveChange> change;
    Wave wave;
    std::vector<double> peaks;
    double noteHz = 0;
};

namespace {

/// Index of the own hit whose level is the middle one; -1 without any.
int middleHit(const measure::HitMaterial& m) {
    std::vector<std::pair<double, int>> own;
    for (std::size_t i = 0; i < m.hits.size(); ++i)
        if (m.hits[i].isOwn)
            own.emplace_back(m.hits[i].levelDb, static_cast<int>(i));
    if (own.empty())
        return -1;
    const auto middle = own.begin() + static_cast<std::ptrdiff_t>(own.size() / 2);
    std::nth_element(own.begin(), middle, own.end());
    return middle->second;
}

DriveModel::Wave waveOf(const measure::HitMaterial& m, const measure::Sound& after, double matchDb) {
    DriveModel::Wave wave;
    wave.rateHz = m.rateHz;
    const int hit = middleHit(m);
    if (hit < 0 || after.empty())
        return wave;
    const auto gain = static_cast<float>(dbToLinear(matchDb));
    const double onsetS = m.hits[static_cast<std::size_t>(hit)].timeS - m.startS;
    const auto from = static_cast<std::ptrdiff_t>((onsetS - 0.001 * DriveModel::Wave::kBeforeMs) * m.rateHz);
    const auto to = static_cast<std::ptrdiff_t>((onsetS + 0.001 * DriveModel::Wave::kAfterMs) * m.rateHz);
    for (auto n = from; n < std::min<std::ptrdiff_t>(to, static_cast<std::ptrdiff_t>(m.frames())); ++n) {
        const auto at = static_cast<std::size_t>(std::max<std::ptrdiff_t>(0, n));
        wave.before.push_back(m.sound[0][at]);
        wave.after.push_back(gain * after[0][at]);
    }
    return wave;
}

/// Of what the curve bends: the sound itself, of a resonator what it adds, which takes longer to build up.
std::vector<double> peaksOf(const measure::HitMaterial& m, const measure::DriveSettings& settings,
                            const CancelToken& cancel) {
    constexpr double kPeakS = 0.02;
    constexpr double kResonancePeakS = 0.1;
    const auto* body = std::get_if<dsp::BodySettings>(&settings);
    const measure::Sound sound = body != nullptr ? measure::resonanceOf(m, *body, cancel) : m.sound;
    const double peakS = body != nullptr ? kResonancePeakS : kPeakS;
    std::vector<double> peaks;
    for (const auto& hit : m.hits) {
        if (!hit.isOwn)
            continue;
        const auto from = static_cast<std::size_t>(std::max(0.0, hit.timeS - m.startS) * m.rateHz);
        const auto to = std::min(m.frames(), from + static_cast<std::size_t>(peakS * m.rateHz));
        float peak = 0;
        for (const auto& channel : sound)
            for (std::size_t n = from; n < to; ++n)
                peak = std::max(peak, std::abs(channel[n]));
        peaks.push_back(static_cast<double>(peak));
    }
    return peaks;
}

} // namespace

DriveModel::DriveModel(Document& document, Analyst& analyst, HitModel& hits, QObject* parent)
    : QObject(parent), m_document(document), m_analyst(analyst), m_hits(hits), m_jobs(analyst.pool()) {
    m_timer.setSingleShot(true);
    m_timer.setInterval(kDriveQuietMs);
    connect(&m_timer, &QTimer::timeout, this, [this] { measure(false); });
    m_restTimer.setSingleShot(true);
    m_restTimer.setInterval(kDriveRestMs);
    connect(&m_restTimer, &QTimer::timeout, this, [this] { measure(true); });
    for (const auto signal : {&Document::changed, &Document::opened})
        connect(&document, signal, this, &DriveModel::follow);
    connect(&hits, &HitModel::hitsChanged, this, &DriveModel::follow);
}

DriveModel::~DriveModel() {
    m_cancel.cancel();
}

void DriveModel::setActive(bool on) {
    if (m_isActive == on)
        return;
    m_isActive = on;
    follow();
}

void DriveModel::setModule(const ModuleAt& at) {
    if (m_at.owner == at.owner && m_at.module == at.module)
        return;
    m_at = at;
    follow();
}

std::optional<measure::DriveSettings> DriveModel::settings() const {
    const auto* m = module();
    return m == nullptr ? std::nullopt : kit::driveSettings(m->settings);
}

void DriveModel::follow() {
    if (!m_isActive)
        return;
    const bool isMeasured = m_hits.shared() != nullptr && settings().has_value();
    const std::size_t key = isMeasured ? materialKey(m_document.session(), m_at.owner, module(),
                                                     static_cast<int>(m_hits.revision()))
                                       : 0;
    if (key != m_key) {
        m_key = key;
        m_material.reset();
        m_sample.reset();
        m_sampleBefore.reset();
        m_change.reset();
        m_wave = {};
        m_peaks.clear();
        m_noteHz = 0;
        m_cancel.cancel();
    }
    ++m_generation;
    m_isRough = true;
    // While a value is dragged it is measured again and again, not once it is let go.
    if (key != 0 && !m_timer.isActive())
        m_timer.start();
    emit changed();
}

void DriveModel::measure(bool isWhole) {
    const auto now = settings();
    if (m_key == 0 || !m_isActive || !now)
        return;
    if (m_isMeasuring) {
        m_isAwaited = true; // the latest wish wins
        return;
    }
    m_cancel = CancelToken();
    m_isMeasuring = true;
    m_jobs.post(
        [this, isWhole, key = m_key, generation = m_generation, hits = m_hits.shared(), at = m_at,
         snapshot = m_document.snapshot(), folder = m_document.folder(), material = m_material,
         sample = m_sample, sampleBefore = m_sampleBefore, noteHz = m_noteHz, settings = *now,
         cancel = m_cancel] {
            auto heard = std::make_shared<Heard>();
            heard->material = material;
            heard->sample = sample;
            heard->sampleBefore = sampleBefore;
            heard->noteHz = noteHz;
            if (!material)
                if (const auto sources = project::openOfflineSources(*snapshot, folder, cancel))
                    if (auto found = kit::punchMaterial(*snapshot, at.owner, at.module, *hits,
                                                        sources->lookup(), cancel, kDriveMostS)) {
                        heard->material = *found;
                        heard->sample = std::make_shared<const measure::HitMaterial>(
                            measure::sampleOf(**found, kSampleHits));
                        heard->noteHz = kit::noteOf(*snapshot, at.owner, **found);
                        heard->sampleBefore = std::make_shared<const measure::DriveBefore>(
                            measure::measureBefore(*heard->sample, heard->noteHz, cancel));
                    }
            if (heard->sample && heard->material) {
                const auto& looked = isWhole ? *heard->material : *heard->sample;
                const auto after = measure::drivenSound(looked, settings, cancel);
                heard->change = std::make_shared<const measure::DriveChange>(
                    isWhole ? measure::measureDrive(looked, after, heard->noteHz, cancel)
                            : measure::measureDrive(looked, *heard->sampleBefore, after, cancel));
                heard->wave = waveOf(*heard->sample,
                                     isWhole ? measure::drivenSound(*heard->sample, settings, cancel) : after,
                                     heard->change->shapes.matchDb);
                heard->peaks = peaksOf(*heard->sample, settings, cancel);
            }
            QMetaObject::invokeMethod(
                this,
                [this, key, generation, isWhole, heard = std::shared_ptr<const Heard>(std::move(heard))] {
                    take(key, generation, isWhole, heard);
                },
                Qt::QueuedConnection);
        },
        kMeasuringPriority);
}

void DriveModel::take(std::size_t key, int generation, bool isWhole,
                      const std::shared_ptr<const Heard>& heard) {
    m_isMeasuring = false;
    if (key == m_key && heard->change && !m_cancel.isCancelled()) {
        m_material = heard->material;
        m_sample = heard->sample;
        m_sampleBefore = heard->sampleBefore;
        m_noteHz = heard->noteHz;
        // What was measured of the whole while a value moved on is out of date.
        if (!isWhole || generation == m_generation) {
            m_change = heard->change;
            m_wave = heard->wave;
            m_peaks = heard->peaks;
            m_isRough = !isWhole;
        }
        if (!isWhole)
            m_restTimer.start();
    }
    if (std::exchange(m_isAwaited, false) || key != m_key)
        m_timer.start();
    emit changed();
}

} // namespace cask::app
