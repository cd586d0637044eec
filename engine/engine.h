// Real time: a session is played on a device.
#pragma once

#include "engine/device/devices.h"
#include "engine/mix_meter.h"
#include "engine/transport/player.h"
#include "engine/transport/streamer.h"

#include <chrono>
#include <core/session/session.h>
#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <string>

namespace cask::engine {

/// Makes the device an engine plays on. Tests give one that returns a simulated device they keep a pointer
/// to.
using DeviceOpener = std::function<OpenedDevice(AudioCallback&, const DeviceSettings&)>;

struct MonitorSettings {
    double levelDb = 0;
    double ceilingDb = -1; ///< dBTP that the monitor output never passes
    bool isDimmed = false; ///< softer by kDimDb
    bool isMono = false;   ///< half the sum of both sides on both
    bool isSwapped = false;
    friend bool operator==(const MonitorSettings&, const MonitorSettings&) = default;
};
inline constexpr double kDimDb = 20;

/// Control thread only. poll() must be called a few times a second.
class Engine {
  public:
    explicit Engine(double sampleRateHz, const DeviceSettings& settings = {},
                    DeviceOpener opener = openDevice);
    ~Engine();
    Engine(const Engine&) = delete;
    Engine& operator=(const Engine&) = delete;

    /// The sound of a file, once it is playable; null takes it away. What is streamed is loaded ahead;
    /// anything else is read in the callback as it is.
    void setSource(session::Id file, std::shared_ptr<AudioSource> source);
    /// Every edit comes here: compiles a plan and hands it over. The error is that of a route that feeds
    /// itself.
    [[nodiscard]] Status setSession(const session::Session& session, double gainDb = 0,
                                    const graph::Listening& listening = {});

    void play();
    void stop();
    void locate(Frames frame);
    void setLoop(Frames start, Frames end);
    void setMonitor(const MonitorSettings& settings);
    [[nodiscard]] const MonitorSettings& monitor() const { return m_monitor; }

    [[nodiscard]] bool isPlaying() const { return m_wantsToPlay; }
    [[nodiscard]] Frames position() const { return m_player.position(); }
    [[nodiscard]] double sampleRateHz() const { return m_sampleRateHz; }
    [[nodiscard]] NodeLevel takeLevel(session::Id node) { return m_player.takeLevel(node); }
    [[nodiscard]] float gateGain(session::Id node) const { return m_player.gateGain(node); }
    [[nodiscard]] float compressorGain(session::Id node) const { return m_player.compressorGain(node); }
    /// What its level adds to the gain of a dynamic band, dB, as it was played last.
    [[nodiscard]] float movedDb(session::Id band) const { return m_player.movedDb(band); }
    [[nodiscard]] double takeCeilingReductionDb();
    /// Of the mix, before the monitor's level and ceiling.
    [[nodiscard]] const MixMeter& mixMeter() const { return m_meter; }
    /// Played by hand, directly to the monitor: see Player.
    void setLive(std::unique_ptr<LiveSetup> setup) { m_player.setLive(std::move(setup)); }
    void setLiveChain(std::unique_ptr<LiveChain> chain) { m_player.setLiveChain(std::move(chain)); }
    /// From any thread but the device's.
    [[nodiscard]] bool strike(const LiveStroke& stroke) {
        const std::lock_guard lock(m_strikeMutex); // a device and a button may strike at once
        return m_player.strike(stroke);
    }
    [[nodiscard]] bool takeHeard(HeardStroke& stroke) { return m_player.takeHeard(stroke); }
    [[nodiscard]] int soundingVoices() const { return m_player.soundingVoices(); }
    /// By how much a stroke is placed behind what was heard when it was made: the device's delay, and the
    /// block in which it waited.
    [[nodiscard]] Frames strokeDelayFrames() const {
        return m_device->latencyFrames() + m_device->blockFrames();
    }
    /// Whether the audio thread plays. Any thread.
    [[nodiscard]] bool isHeard() const { return m_player.isPlaying(); }
    void clearHeldPeak() { m_meter.clearHeldPeak(); }
    [[nodiscard]] int starvedBlocks() const { return m_player.starvedBlocks(); }

    /// Changes the device; always ends with one that is open.
    void useDevice(const DeviceSettings& settings);
    [[nodiscard]] const AudioDevice& device() const { return *m_device; }
    /// Sentence about the device when it is not the one wanted, or has gone; empty when all is well.
    [[nodiscard]] const std::string& deviceNote() const { return m_deviceNote; }

    /// Collects garbage, reads meters, notices a device that has gone, moves to the simulated one and tries
    /// to return.
    void poll();
    /// True when the next second is loaded everywhere it could be played from.
    [[nodiscard]] bool isReady() const { return m_streamer->isReady(); }

  private:
    void updateStreamer(const graph::Plan& plan);
    /// Opens the device that is wanted, or the simulated one in its place: then a sentence says why.
    [[nodiscard]] std::string openWanted(bool isAskedAgain = false);

    const double m_sampleRateHz;
    DeviceOpener m_opener;
    DeviceSettings m_wanted;
    Player m_player;
    std::unique_ptr<Streamer> m_streamer;
    std::unique_ptr<AudioDevice> m_device; // after the player: it must go first
    std::string m_deviceNote;
    bool m_hasLostDevice = false;
    std::chrono::steady_clock::time_point m_nextTry;
    long long m_lastCallbacks = 0;
    std::chrono::steady_clock::time_point m_lastCallbackTime;
    std::map<session::Id, std::shared_ptr<AudioSource>> m_sources;
    std::shared_ptr<const graph::Plan> m_sent; ///< the newest plan
    MixMeter m_meter;
    MonitorSettings m_monitor;
    bool m_wantsToPlay = false;
    std::mutex m_strikeMutex; // guards the way into the player
    std::vector<Frames> m_places;
};

} // namespace cask::engine
