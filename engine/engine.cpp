#include "engine/engine.h"

#include "core/base/units.h"
#include "engine/device/simulated_device.h"

#include <algorithm>

namespace cask::engine {
namespace {

using Clock = std::chrono::steady_clock;
constexpr auto kSilenceMeansGone = std::chrono::milliseconds(1500);
constexpr auto kTryAgainAfter = std::chrono::seconds(2);
/// Memory for loaded sound: minutes of a large kit, whatever the length of the session.
constexpr std::size_t kStreamBudgetBytes = std::size_t{640} << 20U;

} // namespace

Engine::Engine(double sampleRateHz, const DeviceSettings& settings, DeviceOpener opener)
    : m_sampleRateHz(sampleRateHz), m_opener(std::move(opener)), m_player(sampleRateHz),
      m_streamer(std::make_unique<Streamer>(m_player, sampleRateHz, kStreamBudgetBytes)),
      m_meter(sampleRateHz) {
    useDevice(settings);
    setMonitor({});
}

Engine::~Engine() {
    m_device.reset();
    m_streamer.reset();
}

void Engine::useDevice(const DeviceSettings& settings) {
    m_device.reset(); // one at a time: the player has one audio thread
    m_wanted = settings;
    m_wanted.sampleRateHz = static_cast<int>(m_sampleRateHz);
    m_deviceNote = openWanted();
    m_hasLostDevice = false;
    m_lastCallbacks = m_player.callbacks();
    m_lastCallbackTime = Clock::now();
}

std::string Engine::openWanted(bool isAskedAgain) {
    m_device.reset(); // only one device may call the player: the stand-in rests while the real one is tried
    DeviceSettings wanted = m_wanted;
    wanted.isAskedAgain = isAskedAgain;
    auto opened = m_opener(m_player, wanted);
    m_device = std::move(opened.device);
    if (m_device->sampleRateHz() == m_wanted.sampleRateHz)
        return opened.note;
    // Playing at another rate would change pitch and tempo.
    const std::string name = m_device->info().name;
    m_device.reset();
    m_device = std::make_unique<SimulatedDevice>(m_player, m_wanted.sampleRateHz, m_wanted.blockFrames);
    return name + " does not run at the session's sample rate; nothing is heard until it does.";
}

void Engine::setSource(session::Id file, std::shared_ptr<AudioSource> source) {
    if (source)
        m_sources[file] = std::move(source);
    else
        m_sources.erase(file);
}

Status Engine::setSession(const session::Session& session, double gainDb, const graph::Listening& listening) {
    const auto plan = graph::compile(
        session,
        [this](session::Id file) -> std::shared_ptr<AudioSource> {
            const auto it = m_sources.find(file);
            return it == m_sources.end() ? nullptr : it->second;
        },
        {}, listening);
    if (!plan)
        return plan.error();
    updateStreamer(**plan);
    auto player = std::make_unique<PlayerPlan>();
    if (m_sent && m_sent->layout == (*plan)->layout)
        player->targets = *plan;
    else
        player->runner = std::make_unique<graph::Runner>(*plan, kPlayerBlock);
    m_sent = *plan;
    player->gain = static_cast<float>(dbToLinear(gainDb));
    m_player.setPlan(std::move(player));
    return Done{};
}

void Engine::updateStreamer(const graph::Plan& plan) {
    std::vector<Streamer::Wanted> wanted;
    graph::visitInputs(plan, [&](const graph::LaneInput& input) {
        auto source = std::dynamic_pointer_cast<media::ChunkedSource>(input.source);
        const bool isNew =
            source && std::none_of(wanted.begin(), wanted.end(), [&](const Streamer::Wanted& w) {
                return w.source == source && w.delayFrames == input.delayFrames;
            });
        if (isNew)
            wanted.push_back({std::move(source), input.delayFrames});
    });
    m_streamer->setSources(std::move(wanted));
}

void Engine::play() {
    m_wantsToPlay = true;
    m_meter.restart();
    m_player.play();
}

void Engine::stop() {
    m_wantsToPlay = false;
    m_player.stop();
}

void Engine::locate(Frames frame) {
    m_player.locate(frame);
}

void Engine::setLoop(Frames start, Frames end) {
    m_places.clear();
    if (end > start)
        m_places.push_back(start);
    m_streamer->setPlaces(m_places);
    m_player.setLoop(start, end);
}

void Engine::setMonitor(const MonitorSettings& settings) {
    m_monitor = settings;
    const double levelDb = settings.levelDb - (settings.isDimmed ? kDimDb : 0);
    m_player.setMonitor(levelDb, settings.ceilingDb, settings.isMono, settings.isSwapped);
}

double Engine::takeCeilingReductionDb() {
    return linearToDb(static_cast<double>(m_player.takeCeilingGain()));
}

void Engine::poll() {
    m_player.collectGarbage();
    std::array<float, Player::kTapFloats> block{};
    while (m_player.takeMix(block))
        m_meter.add(block);

    const auto now = Clock::now();
    if (m_player.callbacks() != m_lastCallbacks) {
        m_lastCallbacks = m_player.callbacks();
        m_lastCallbackTime = now;
    }
    const bool gone = !m_device->isAlive() || now - m_lastCallbackTime > kSilenceMeansGone;
    if (gone && !m_hasLostDevice) {
        const std::string name = m_device->info().name;
        m_device.reset();
        m_device = std::make_unique<SimulatedDevice>(m_player, m_wanted.sampleRateHz, m_wanted.blockFrames);
        m_deviceNote = name + " has gone; the session goes on silently until it is back.";
        m_hasLostDevice = true;
        m_lastCallbackTime = now;
        m_nextTry = now + kTryAgainAfter;
    } else if (m_hasLostDevice && now >= m_nextTry) {
        m_nextTry = now + kTryAgainAfter;
        const std::string note = openWanted(true);
        m_lastCallbackTime = now;
        if (note.empty() && m_device->isAlive()) {
            m_deviceNote.clear();
            m_hasLostDevice = false;
        } else if (!note.empty()) {
            m_deviceNote = note;
        }
    }
}

} // namespace cask::engine
