#include "app/models/live_model.h"

#include "app/models/priorities.h"
#include "core/layers/midi_write.h"
#include "core/project/delivery.h"
#include "engine/live/simulated_player.h"

#include <algorithm>
#include <cmath>

namespace cask::app {
namespace {

constexpr int kListenMs = 30;
constexpr int kChainQuietMs = 40;
constexpr int kLayersQuietMs = 120; // after the last change of a layer
constexpr int kNoNote = 38;         // of strikes without one, in a MIDI file

} // namespace

LiveModel::LiveModel(const Desk& desk, LayerModel& layers, QObject* parent)
    : QObject(parent), m_desk(desk), m_layers(layers), m_jobs(desk.analyst.pool()) {
    m_prepareTimer.setSingleShot(true);
    connect(&m_prepareTimer, &QTimer::timeout, this, &LiveModel::prepare);
    connect(&m_pollTimer, &QTimer::timeout, this, &LiveModel::poll);
    m_chainTimer.setSingleShot(true);
    m_chainTimer.setInterval(kChainQuietMs);
    connect(&m_chainTimer, &QTimer::timeout, this, &LiveModel::sendChain);
    connect(&desk.document, &Document::changed, this, [this] {
        if (m_kit != nullptr)
            m_chainTimer.start();
    });
    connect(&layers, &LayerModel::changed, this, &LiveModel::follow);
    connect(&desk.playback, &Playback::engineGoes, this, [this] { // another session
        m_input.reset();
        m_isRecording = false;
        m_take.clear();
        m_kit.reset();
        m_kitLayers.clear();
        m_chainOf.reset();
    });
    connect(&desk.document, &Document::opened, this, &LiveModel::follow);
    connect(&desk.hits, &HitModel::hitsChanged, this, &LiveModel::send); // the click follows the tempo
    connect(&desk.playback, &Playback::transportChanged, this, [this] {
        if (m_isRecording && !m_desk.playback.isPlaying())
            endRecording();
    });
}

LiveModel::~LiveModel() {
    m_cancel.cancel();
    m_input.reset(); // its thread speaks to the engine
}

QStringList LiveModel::ownInputs() {
    return {tr("nothing"), QString::fromLatin1(engine::SimulatedPlayer::kName)};
}

QStringList LiveModel::inputs() {
    auto names = ownInputs();
    for (const auto& name : engine::midiInputs())
        names << QString::fromStdString(name);
    return names;
}

void LiveModel::follow() {
    if (m_isRecording && m_desk.document.selected() != m_recordElement)
        leaveRecording();
    const auto* stack = m_layers.stack();
    if (stack == nullptr) {
        ++m_generation;
        if (m_kit != nullptr || m_input != nullptr) {
            m_kit.reset();
            m_kitLayers.clear();
            send();
            openInput();
        }
        return;
    }
    if (stack->layers != m_kitLayers)
        m_prepareTimer.start(kLayersQuietMs);
}

void LiveModel::prepare() {
    const auto* stack = m_layers.stack();
    if (stack == nullptr)
        return;
    m_kitLayers = stack->layers;
    m_cancel.cancel();
    m_cancel = CancelToken();
    m_jobs.post(
        [this, generation = ++m_generation, stack = *stack, rateHz = m_desk.document.session().sampleRateHz,
         cancel = m_cancel] {
            const auto kit = layers::LiveKit::make(stack, rateHz, cancel);
            QMetaObject::invokeMethod(
                this,
                [this, generation, kit] {
                    if (generation != m_generation)
                        return;
                    m_kit = kit ? *kit : nullptr; // what can't be read the stack itself has told
                    send();
                    openInput();
                    emit changed();
                },
                Qt::QueuedConnection);
        },
        kLayersPriority);
}

void LiveModel::send() {
    auto setup = std::make_unique<engine::LiveSetup>();
    setup->kit = m_kit;
    const auto* analysis = m_desk.hits.analysis();
    if (m_hasClick && analysis != nullptr && analysis->tempo.isKnown) {
        const double rate = m_desk.playback.engine().sampleRateHz();
        const auto bar = static_cast<std::size_t>(std::max(1, analysis->tempo.beatsPerBar));
        for (std::size_t k = 0; k < analysis->tempo.beatsS.size(); ++k)
            setup->beats.push_back({secondsToFrames(analysis->tempo.beatsS[k], rate), k % bar == 0});
    }
    m_desk.playback.engine().setLive(std::move(setup));
    sendChain();
}

void LiveModel::sendChain() {
    const bool isWanted = m_kit != nullptr && m_isThroughChain;
    const auto now = isWanted ? m_desk.document.snapshot() : nullptr;
    const Id element = isWanted ? m_desk.document.selected() : session::kNoId;
    if (now == m_chainOf && element == m_chainElement)
        return;
    m_chainOf = now;
    m_chainElement = element;
    std::unique_ptr<engine::LiveChain> chain;
    if (isWanted)
        if (auto made = engine::LiveChain::make(*now, element, m_hand))
            chain = std::move(*made);
    m_chainMs = chain == nullptr ? 0 : 1000 * framesToSeconds(chain->latencyFrames(), now->sampleRateHz);
    m_desk.playback.engine().setLiveChain(std::move(chain));
    emit changed();
}

void LiveModel::setThroughChain(bool on) {
    m_isThroughChain = on;
    sendChain();
    emit changed();
}

void LiveModel::useInput(const QString& name) {
    m_input.reset();
    m_inputName = name == tr("nothing") ? QString() : name;
    openInput();
    emit changed();
}

void LiveModel::openInput() {
    m_input.reset();
    if (m_inputName.isEmpty() || m_kit == nullptr) {
        if (!m_isRecording)
            m_pollTimer.stop();
        return;
    }
    auto& engine = m_desk.playback.engine();
    const engine::StrokeSink sink = [&engine](const engine::LiveStroke& stroke) {
        (void)engine.strike(stroke); // too many at once: lost
    };
    if (m_inputName == QLatin1String(engine::SimulatedPlayer::kName)) {
        const double rate = engine.sampleRateHz();
        auto strikes = m_layers.stack()->strikes;
        if (const auto* e = m_desk.document.session().element(m_desk.document.selected()))
            for (auto& strike : strikes)
                strike.timeS += framesToSeconds(e->startFrame, rate);
        m_input = std::make_unique<engine::SimulatedPlayer>(
            std::move(strikes),
            [&engine, rate] { return engine.isHeard() ? framesToSeconds(engine.position(), rate) : -1; },
            sink);
    } else if (auto opened = engine::openMidiInput(m_inputName.toStdString(), sink)) {
        m_input = std::move(*opened);
    } else {
        m_desk.document.addNote(QString::fromStdString(opened.error().message));
        m_inputName.clear();
    }
}

void LiveModel::strike(int velocity) {
    const int note = m_kit == nullptr ? 0 : m_kit->notes().front();
    (void)m_desk.playback.engine().strike({note, velocity, std::chrono::steady_clock::now()});
}

void LiveModel::setClick(bool on) {
    m_hasClick = on;
    send();
    emit changed();
}

void LiveModel::record(bool isInstead) {
    if (m_isRecording || m_kit == nullptr || m_desk.document.isReadOnly())
        return;
    if (m_desk.document.isUntitled()) {
        m_desk.document.addNote(tr("Save the session first: layers are kept in its folder."));
        return;
    }
    m_take.clear();
    engine::HeardStroke old;
    while (m_desk.playback.engine().takeHeard(old)) { // from before
    }
    m_isInstead = isInstead;
    auto& playback = m_desk.playback;
    if (playback.hasLoop() && !playback.isPlaying())
        playback.locate(playback.loopStartS());
    m_recordFromS = playback.hasLoop() ? playback.loopStartS() : playback.positionS();
    m_recordToS = m_recordFromS;
    m_isRecording = true;
    m_recordElement = m_desk.document.selected();
    if (!playback.isPlaying())
        playback.togglePlay();
    m_pollTimer.start(kListenMs);
    emit changed();
}

void LiveModel::poll() {
    auto& engine = m_desk.playback.engine();
    const auto* stack = m_layers.stack();
    const auto* e = m_desk.document.session().element(m_recordElement);
    engine::HeardStroke stroke;
    bool hasNew = false;
    while (engine.takeHeard(stroke)) {
        if (!m_isRecording || m_kit == nullptr || stack == nullptr || e == nullptr)
            continue;
        const double rate = engine.sampleRateHz();
        double atS = framesToSeconds(stroke.at - engine.strokeDelayFrames(), rate);
        // Early on the first beat of a loop is late in the round before.
        if (const auto& playback = m_desk.playback; playback.hasLoop() && atS < playback.loopStartS() &&
                                                    framesToSeconds(stroke.at, rate) >= playback.loopStartS())
            atS += playback.loopEndS() - playback.loopStartS();
        atS -= framesToSeconds(e->startFrame, rate);
        const int note = m_kit->notes()[static_cast<std::size_t>(m_kit->placeOf(stroke.note))];
        m_take.push_back(layers::playedStrike(std::max(0.0, atS), stroke.velocity, note));
        hasNew = true;
    }
    if (m_isRecording)
        m_recordToS = std::max(m_recordToS, m_desk.playback.hasLoop() ? m_desk.playback.loopEndS()
                                                                      : m_desk.playback.positionS());
    if (hasNew)
        emit changed();
}

void LiveModel::endRecording() {
    if (!m_isRecording)
        return;
    poll();
    m_isRecording = false;
    if (m_desk.playback.isPlaying())
        m_desk.playback.stop();
    const auto take = std::exchange(m_take, {});
    const auto* e = m_desk.document.session().element(m_recordElement);
    if (!take.empty() && e != nullptr && m_layers.stack() != nullptr) {
        keepTake(take);
        const double startS = framesToSeconds(e->startFrame, m_desk.document.session().sampleRateHz);
        const auto instead = m_isInstead
                                 ? std::optional(std::pair(m_recordFromS - startS, m_recordToS - startS))
                                 : std::nullopt;
        m_layers.edit(
            [&](layers::Stack& stack) { stack = layers::withTake(std::move(stack), take, instead); },
            tr("Play %1 by hand").arg(QString::fromStdString(e->name)));
    }
    emit changed();
}

void LiveModel::leaveRecording() {
    m_isRecording = false;
    const auto take = std::exchange(m_take, {});
    if (m_desk.playback.isPlaying())
        m_desk.playback.stop();
    if (!take.empty()) {
        keepTake(take);
        m_desk.document.addNote(
            tr("Another element was chosen: the take of %1 stays as a MIDI file and its strikes as they "
               "were.")
                .arg(QString::fromStdString(m_desk.document.session().nameOf(m_recordElement))));
    }
    emit changed();
}

/// Every take stays as a MIDI file, whatever becomes of it in the stack.
void LiveModel::keepTake(const std::vector<layers::Strike>& take) {
    const auto folder = m_desk.document.folder() / "takes";
    std::error_code error;
    std::filesystem::create_directories(folder, error);
    const auto name = project::fileNameFor(m_desk.document.session().nameOf(m_recordElement));
    auto file = folder / (name + ".mid");
    for (int n = 2; std::filesystem::exists(file, error); ++n)
        file = folder / (name + " " + std::to_string(n) + ".mid");
    const auto* analysis = m_desk.hits.analysis();
    const double bpm = analysis != nullptr && analysis->tempo.isKnown ? analysis->tempo.bpm : 0;
    auto sorted = take;
    std::stable_sort(sorted.begin(), sorted.end(),
                     [](const auto& a, const auto& b) { return a.timeS < b.timeS; });
    if (const auto written = layers::writeMidiPattern(layers::patternOf(sorted, bpm, kNoNote), file);
        !written)
        m_desk.document.addNote(QString::fromStdString(written.error().message));
}

} // namespace cask::app
