#include "app/models/playback.h"

#include "app/models/priorities.h"
#include "core/media/offline_source.h"
#include "core/project/offline_sources.h"
#include "core/session/hearing.h"
#include "core/session/states.h"

#include <QSettings>

#include <algorithm>
#include <cmath>
#include <tuple>

namespace cask::app {
namespace {

constexpr double kFirstMonitorDb = -20; // until somebody chooses
constexpr int kTickMs = 16;
constexpr int kPollMs = 100;
constexpr int kMeasureAfterMs = 350; // after the last edit
/// A band heard alone is kept well under full scale, whatever is boosted.
constexpr double kBandCeilingDb = -12;

} // namespace

Playback::Playback(Document& document, Analyst& analyst, engine::DeviceOpener opener, QObject* parent)
    : QObject(parent), m_document(document), m_analyst(analyst), m_opener(std::move(opener)),
      m_jobs(analyst.pool()) {
    const QSettings settings;
    m_deviceSettings.id = settings.value(QStringLiteral("device/id")).toString().toStdString();
    m_deviceSettings.blockFrames = settings.value(QStringLiteral("device/block_frames"), 256).toInt();
    m_monitor.levelDb = settings.value(QStringLiteral("monitor/level_db"), kFirstMonitorDb).toDouble();
    m_monitor.ceilingDb = settings.value(QStringLiteral("monitor/ceiling_db"), -1.0).toDouble();
    rebuildEngine();
    connect(&document, &Document::opened, this, &Playback::rebuildEngine);
    connect(&document, &Document::changed, this, [this] {
        sendSession();
        scheduleMeasures();
    });
    connect(&analyst, &Analyst::sourceReady, this, &Playback::onSourceReady);
    connect(&m_tickTimer, &QTimer::timeout, this, &Playback::tick);
    connect(&m_tickTimer, &QTimer::timeout, this, &Playback::followAudition);
    connect(&m_pollTimer, &QTimer::timeout, this, &Playback::poll);
    connect(&m_measureTimer, &QTimer::timeout, this, &Playback::startMeasures);
    m_tickTimer.setInterval(kTickMs);
    m_measureTimer.setSingleShot(true);
    m_measureTimer.setInterval(kMeasureAfterMs);
    m_pollTimer.start(kPollMs);
}

Playback::~Playback() {
    m_cancelMeasures.cancel();
    m_cancelAudition.cancel();
}

void Playback::rebuildEngine() {
    emit engineGoes();
    m_tickTimer.stop();
    m_isComparing = m_isBypassed = false;
    m_equallyLoud = EquallyLoud::Nothing;
    m_letterMatch.reset();
    m_widthGains.clear();
    m_reference.reset();
    m_band.reset();
    m_listening = {};
    m_audition.reset();
    m_trial.reset();
    m_frozen.clear();
    m_frozenSources.clear();
    m_matches = {};
    m_headroom.reset();
    m_loopStartS = m_loopEndS = 0;
    const double rate = m_document.session().sampleRateHz;
    m_engine.reset(); // the old device closes before the new one opens
    m_engine = std::make_unique<engine::Engine>(rate, m_deviceSettings, m_opener);
    m_engine->setMonitor(m_monitor);
    for (const auto& file : m_document.session().files)
        if (const auto* state = m_analyst.file(file->id); state != nullptr && state->source)
            m_engine->setSource(file->id, state->source);
    sendSession();
    scheduleMeasures();
    emit transportChanged();
    emit comparisonChanged();
    emit headroomChanged();
    emit deviceChanged();
}

double Playback::positionS() const {
    return framesToSeconds(m_engine->position(), m_engine->sampleRateHz());
}

void Playback::togglePlay() {
    if (m_audition && m_engine->isPlaying()) {
        endAudition();
        return;
    }
    if (m_engine->isPlaying()) {
        stop();
        return;
    }
    if (positionS() >= framesToSeconds(m_document.session().lengthFrames(), m_engine->sampleRateHz()))
        m_engine->locate(0);
    if (m_prerollS > 0)
        m_engine->locate(secondsToFrames(std::max(0.0, positionS() - m_prerollS), m_engine->sampleRateHz()));
    m_engine->play();
    m_tickTimer.start();
    emit transportChanged();
}

void Playback::stop() {
    if (m_audition) { // what was only tried is not left standing
        endAudition();
        return;
    }
    m_engine->stop();
    m_tickTimer.stop();
    // The next start is at the session's own level again.
    if (const auto kept = m_isComparing ? EquallyLoud::Compared : EquallyLoud::Nothing;
        m_equallyLoud != kept) {
        m_equallyLoud = kept;
        sendSession();
    }
    emit transportChanged();
    emit tick();
}

void Playback::locate(double seconds) {
    m_engine->locate(secondsToFrames(std::max(0.0, seconds), m_engine->sampleRateHz()));
    QTimer::singleShot(kTickMs, this, &Playback::tick);
}

void Playback::playFrom(double seconds) {
    locate(seconds);
    if (!m_engine->isPlaying())
        togglePlay();
}

void Playback::setLoop(double startS, double endS) {
    m_loopStartS = startS;
    m_loopEndS = endS;
    const double rate = m_engine->sampleRateHz();
    m_engine->setLoop(secondsToFrames(startS, rate), secondsToFrames(endS, rate));
    emit transportChanged();
    scheduleMeasures();
}

/// The reference as it came, alone, where it was set to begin.
session::Session Playback::referenceSession() const {
    auto s = session::untouched(m_document.session(), session::Untouched::FilesAsTheyCame);
    const Id master = s.master().id;
    const Frames fromS = secondsToFrames(m_reference->laterS, s.sampleRateHz);
    s = session::withElement(std::move(s), m_reference->element, [&](session::Element& e) {
        e.role = Role::Unknown; // heard by itself all the same
        e.out.bus = master;
        e.out.isMuted = false;
        e.startFrame += fromS;
    });
    return session::withSoloOnly(std::move(s), {m_reference->element});
}

session::Session Playback::heardSession() const {
    if (m_reference && m_document.session().element(m_reference->element) != nullptr)
        return referenceSession();
    session::Session s = m_document.session();
    if (m_isComparing)
        s = session::untouched(s, comparedWith());
    if (m_trial)
        s = m_trial->change(std::move(s));
    if (m_audition) {
        if (m_audition->change)
            s = m_audition->change(std::move(s));
        for (const auto& e : m_document.session().elements)
            if (!m_audition->alone.empty())
                s = session::withElement(std::move(s), e->id, [&](session::Element& heard) {
                    if (!isMixed(heard.role)) // heard by itself all the same
                        heard.role = Role::Unknown;
                    heard.out.isAlone = std::find(m_audition->alone.begin(), m_audition->alone.end(),
                                                  e->id) != m_audition->alone.end();
                });
    }
    if (m_band) {
        const Id owner = m_band->owner;
        s = session::withOutput(std::move(s), owner, [](session::Output& out) { out.isAlone = true; });
        dsp::EqBand low;
        low.kind = dsp::FilterKind::HighPass;
        low.frequencyHz = m_band->lowHz;
        dsp::EqBand high;
        high.kind = dsp::FilterKind::LowPass;
        high.frequencyHz = m_band->highHz;
        dsp::EqBand boost;
        boost.frequencyHz = std::sqrt(m_band->lowHz * m_band->highHz);
        boost.gainDb = m_band->boostDb;
        boost.q = boost.frequencyHz / (m_band->highHz - m_band->lowHz);
        // One module behind everything else of the element, gone again when the key is let go.
        session::Module module;
        module.id = s.nextId++;
        for (auto* band : {&low, &high, &boost})
            band->id = s.nextId++;
        module.settings = m_band->boostDb == 0 ? dsp::EqSettings{{low, high}} : dsp::EqSettings{{boost}};
        s = session::withOutput(std::move(s), owner,
                                [&](session::Output& out) { out.levelDb += m_band->levelDb; });
        s = session::withChain(std::move(s), owner,
                               [&](std::vector<session::Module>& chain) { chain.push_back(module); });
    }
    return s;
}

void Playback::sendSession() {
    auto heard = heardSession();
    if (m_listening.module == session::kNoId) // what is listened to inside of a chain is played
        heard = project::withFrozen(std::move(heard), m_frozen);
    if (auto sent = m_engine->setSession(heard, matchGainDb(), m_listening); !sent)
        m_document.addNote(QString::fromStdString(sent.error().message));
    auto monitor = m_monitor;
    if (m_band)
        monitor.ceilingDb = std::min(monitor.ceilingDb, kBandCeilingDb);
    m_engine->setMonitor(monitor);
}

void Playback::listenTo(const graph::Listening& listening) {
    if (m_listening == listening)
        return;
    m_listening = listening;
    sendSession();
}

void Playback::setComparing(bool on) {
    if (on == m_isComparing)
        return;
    m_isComparing = on;
    m_isBypassed = m_isBypassed && on;
    m_equallyLoud = EquallyLoud::Compared;
    sendSession();
    emit comparisonChanged();
}

void Playback::switchLetter() {
    m_equallyLoud = EquallyLoud::Letters;
    m_document.edit(session::withLetterSwitched(m_document.session()), tr("Switch between A and B"),
                    QStringLiteral("letters"), Document::Spreads::No);
}

void Playback::hearReference(const std::optional<HeardReference>& reference) {
    if (reference)
        m_referenceLufs = reference->lufs;
    if (reference)
        m_equallyLoud = EquallyLoud::Reference;
    m_reference = reference;
    sendSession();
    emit comparisonChanged();
}

void Playback::setBypassed(bool on) {
    if (on == m_isBypassed)
        return;
    m_isBypassed = on;
    if (m_isComparing == on) { // it was comparing with the other kind
        sendSession();
        emit comparisonChanged();
        return;
    }
    setComparing(on);
}

void Playback::setUntouchedKind(session::Untouched kind) {
    m_untouchedKind = kind;
    sendSession();
    emit comparisonChanged();
}

void Playback::hearBand(const std::optional<BandAudition>& band) {
    m_band = band;
    sendSession();
}

void Playback::audition(const Audition& audition) {
    if (!m_audition)
        m_beforeAuditionS = positionS();
    m_audition = audition;
    m_auditionGainDb = 0;
    const int generation = ++m_auditionGeneration;
    if (!audition.change) {
        startAudition();
        return;
    }
    // With and without the edit at one loudness, so that only the difference is heard.
    const auto snapshot = m_document.snapshot();
    const auto changed = std::make_shared<const session::Session>(audition.change(*snapshot));
    m_cancelAudition.cancel();
    m_cancelAudition = CancelToken();
    m_jobs.post(
        [this, snapshot, changed, generation, folder = m_document.folder(), audition,
         cancel = m_cancelAudition] {
            std::optional<project::LoudnessMatch> match;
            if (const auto sources = project::openOfflineSources(*snapshot, folder, cancel)) {
                const Frames from = secondsToFrames(audition.fromS, snapshot->sampleRateHz);
                const Frames to = secondsToFrames(audition.toS, snapshot->sampleRateHz);
                if (const auto found = project::matchLoudness(*snapshot, *changed, sources->lookup(), from,
                                                              to - from, cancel))
                    match = *found;
            }
            QMetaObject::invokeMethod(
                this,
                [this, generation, match] {
                    if (generation != m_auditionGeneration || !m_audition)
                        return;
                    if (match)
                        m_auditionGainDb = match->secondGainDb;
                    startAudition();
                },
                Qt::QueuedConnection);
        },
        0);
}

void Playback::followAudition() {
    if (!m_audition || !m_engine->isPlaying() || positionS() < m_audition->toS)
        return;
    if (m_audition->rest.empty()) {
        endAudition();
        return;
    }
    // The next stretch; the position is told a little late, so its own start is waited for.
    std::tie(m_audition->fromS, m_audition->toS) = m_audition->rest.front();
    m_audition->rest.erase(m_audition->rest.begin());
    locate(m_audition->fromS);
}

void Playback::startAudition() {
    sendSession();
    playFrom(m_audition->fromS);
    emit auditionChanged();
}

void Playback::endAudition() {
    ++m_auditionGeneration;
    if (!m_audition)
        return;
    m_audition.reset();
    stop();
    sendSession();
    locate(m_beforeAuditionS);
    emit auditionChanged();
}

void Playback::useDevice(const engine::DeviceSettings& settings) {
    m_deviceSettings = settings;
    QSettings stored;
    stored.setValue(QStringLiteral("device/id"), QString::fromStdString(settings.id));
    stored.setValue(QStringLiteral("device/block_frames"), settings.blockFrames);
    m_engine->useDevice(settings);
    emit deviceChanged();
}

void Playback::setMonitor(const engine::MonitorSettings& settings) {
    m_monitor = settings;
    QSettings stored;
    stored.setValue(QStringLiteral("monitor/level_db"), settings.levelDb);
    stored.setValue(QStringLiteral("monitor/ceiling_db"), settings.ceilingDb);
    m_engine->setMonitor(settings);
    emit monitorChanged();
}

void Playback::poll() {
    m_engine->poll();
    for (const auto& file : m_document.session().files)
        if (const auto* state = m_analyst.file(file->id); state != nullptr && state->source)
            if (const auto failure = state->source->failure(); !failure.empty())
                m_document.addNote(QString::fromStdString(failure) + tr(" It plays as silence from there."));
    const auto note = QString::fromStdString(m_engine->deviceNote());
    if (note != m_lastDeviceNote) {
        m_lastDeviceNote = note;
        emit deviceChanged();
    }
    const double endS = framesToSeconds(m_document.session().lengthFrames(), m_engine->sampleRateHz());
    if (m_engine->isPlaying() && !hasLoop() && !m_trial && positionS() > endS + 1)
        stop();
}

} // namespace cask::app
