// The audio thread's side: plays plans, moves through time, guards the monitor output.
#pragma once

#include "engine/device/audio_device.h"
#include "engine/live/live_voices.h"
#include "engine/transport/message_queue.h"

#include <array>
#include <atomic>
#include <core/dsp/limiter.h>
#include <core/graph/runner.h>
#include <memory>

namespace cask::engine {

/// Frames that the player computes at a time, whatever the device asks for.
inline constexpr int kPlayerBlock = 256;
inline constexpr int kMostNodes = 256;
inline constexpr std::size_t kMostMovingBands = 64; ///< that are shown

/// A plan on its way to the audio thread and back: with its state, or as other values for the one that was
/// sent before.
struct PlayerPlan {
    std::unique_ptr<graph::Runner> runner;
    /// Where there is no runner. REQUIRES: of the same layout as the newest plan before.
    std::shared_ptr<const graph::Plan> targets;
    float gain = 1;      ///< of the whole monitor, for loudness-matched comparison
    float laterGain = 1; ///< that it goes to once the fade to it has ended
    int runInLeft = 0;   ///< frames that it must run unheard until every delay in it is filled
    [[nodiscard]] int latency() const { return runner->plan().latencyFrames; }
};

struct NodeLevel {
    float peak = 0;       ///< linear, after the element's level
    float meanSquare = 0; ///< linear power
};

/// Positions are of what is heard: a plan reads its files ahead by its own latency, so that plans of
/// different latency stand for the same place. One that starts, or has jumped, runs in unheard for as long.
///
/// Threads: fill() on the device's thread; all else on one control thread unless noted. The control thread
/// owns the plans before they are sent and after collectGarbage().
class Player final : public AudioCallback {
  public:
    explicit Player(double sampleRateHz);
    ~Player() override;

    // Control thread.
    void setPlan(std::unique_ptr<PlayerPlan> plan);
    void play();
    void stop();
    void locate(Frames frame);
    /// An empty range switches the loop off.
    void setLoop(Frames start, Frames end);
    void setMonitor(double levelDb, double ceilingDb, bool isMono = false, bool isSwapped = false);
    /// Deletes what the audio thread has done with.
    void collectGarbage();
    /// What is played by hand from now on.
    void setLive(std::unique_ptr<LiveSetup> setup);
    /// What is played by hand goes through from now on; null: it is heard as it is.
    void setLiveChain(std::unique_ptr<LiveChain> chain);
    /// Strokes that were heard while it played; false when there are no more.
    [[nodiscard]] bool takeHeard(HeardStroke& stroke) { return m_heardStrokes.tryDequeue(stroke); }
    /// From one thread at a time, which need not be the control thread. It is heard one block of the device
    /// later, as far into the block as it came; false when too many are under way.
    [[nodiscard]] bool strike(const LiveStroke& stroke) { return m_strokes.tryEnqueue(stroke); }
    [[nodiscard]] int soundingVoices() const { return m_sounding.load(std::memory_order_relaxed); }
    /// Interleaved stereo blocks of what the mix was, before the monitor's level and ceiling; false when
    /// there is none.
    static constexpr std::size_t kTapFloats = 128;
    [[nodiscard]] bool takeMix(std::array<float, kTapFloats>& block) { return m_mixTap.tryDequeue(block); }

    // Any thread.
    [[nodiscard]] bool isPlaying() const { return m_isPlaying.load(std::memory_order_relaxed); }
    [[nodiscard]] Frames position() const { return m_position.load(std::memory_order_relaxed); }
    /// Counts callbacks; what was taken out of service two callbacks ago is no longer read.
    [[nodiscard]] long long callbacks() const { return m_callbacks.load(std::memory_order_acquire); }
    /// Blocks in which a source was not loaded in time.
    [[nodiscard]] int starvedBlocks() const { return m_starved.load(std::memory_order_relaxed); }
    /// Blocks silenced because a value was no number.
    [[nodiscard]] int notFiniteBlocks() const { return m_notFinite.load(std::memory_order_relaxed); }
    /// Greatest level since the last call for this node.
    [[nodiscard]] NodeLevel takeLevel(graph::Id node);
    /// Gain of a node's gates, linear, as it was played last; 1 when it has none.
    [[nodiscard]] float gateGain(graph::Id node) const;
    /// The same of its compressors, without their make-up.
    [[nodiscard]] float compressorGain(graph::Id node) const;
    /// What its level adds to the gain of a dynamic band, dB, as it was played last.
    [[nodiscard]] float movedDb(graph::Id band) const;
    /// Least gain of the monitor ceiling since the last call, linear.
    [[nodiscard]] float takeCeilingGain() { return m_ceilingGain.exchange(1, std::memory_order_relaxed); }

    /// RT: no alloc, no lock.
    void fill(float* interleaved, int frames) noexcept override;

  private:
    struct Command {
        enum class Kind { Plan, Play, Stop, Locate, Loop, Monitor, Live, LiveChain } kind = Kind::Stop;
        PlayerPlan* plan = nullptr;
        Frames a = 0;
        Frames b = 0;
        float x = 0;
        float y = 0;
        LiveSetup* live = nullptr;
        LiveChain* chain = nullptr;
    };
    enum class Move { None, Stopping, Jumping };

    void obey(const Command& command) noexcept;
    void setLoopNow(Frames start, Frames end) noexcept;
    void takePlan(PlayerPlan* plan) noexcept;
    void takeTargets(PlayerPlan* plan) noexcept;
    /// The gain of what plays glides to another plan's.
    void glideGain(float to) noexcept;
    void retire(PlayerPlan*& plan) noexcept;
    /// `offset`: of the piece in the device's block.
    void block(float* interleaved, int frames, int offset) noexcept;
    /// Where a plan reads for what is heard at a frame.
    [[nodiscard]] Frames readAt(const PlayerPlan& plan, Frames heard) const noexcept;
    /// Runs a plan for what is heard from a frame on; interleaved stereo without its gain, or null.
    void run(PlayerPlan& plan, Frames heard, int frames, float* out) noexcept;
    /// The same unheard, for what is left of its run-in; returns the frames that were run.
    int runIn(PlayerPlan& plan, int frames) noexcept;
    void renderMix(int frames) noexcept;
    void fadeToComing(int frames) noexcept;
    /// The coming plan plays; the one before is done with.
    void takeOver() noexcept;
    void jump(Frames to) noexcept;
    void applyTransportGain(int frames) noexcept;
    void finishMove() noexcept;
    void publish(int frames) noexcept;
    /// Strokes that came in since the last callback, by their offset in this one.
    void takeStrokes(int frames) noexcept;
    void addLive(float* interleaved, int frames, int offset, Frames from) noexcept;

    const double m_sampleRateHz;
    const int m_fadeFrames;  // between plans of different layout
    const int m_startFrames; // ramp at the start of playing
    const int m_jumpFrames;  // around stops, jumps and loop ends

    MessageQueue<Command> m_commands;
    MessageQueue<PlayerPlan*> m_garbage;
    MessageQueue<std::array<float, kTapFloats>> m_mixTap;
    MessageQueue<LiveStroke> m_strokes;
    MessageQueue<HeardStroke> m_heardStrokes;
    MessageQueue<LiveSetup*> m_liveGarbage;
    MessageQueue<LiveChain*> m_chainGarbage;

    // Audio thread only.
    PlayerPlan* m_current = nullptr;
    PlayerPlan* m_coming = nullptr;  // of another layout: runs in, then the two are faded
    PlayerPlan* m_waiting = nullptr; // arrived while one was coming
    int m_fadeLeft = 0;
    float m_gainFrom = 1; // the current plan's gain glides from here
    int m_gainLeft = 0;
    Move m_move = Move::None;
    Frames m_jumpTo = 0;
    bool m_hasJump = false; // m_jumpTo is still to be gone to
    bool m_runs = false;
    Frames m_at = 0;
    Frames m_loopStart = 0;
    Frames m_loopEnd = 0;
    float m_transportGain = 0; // of the ramps, 0 to 1, linear in time
    float m_rampStep = 0;
    /// What of its own side a side of the monitor gets, and what of the other one.
    struct MonitorGains {
        float own = 1;
        float other = 0;
    };
    MonitorGains m_monitor;
    MonitorGains m_monitorTarget;
    dsp::Limiter m_ceiling;
    std::array<float, 2 * kPlayerBlock> m_mix{};
    std::array<float, 2 * kPlayerBlock> m_comingMix{};
    std::array<float, kTapFloats> m_tap{};
    std::size_t m_tapFill = 0;
    LiveVoices m_live;
    static constexpr std::size_t kMostStrokes = 64; ///< in one callback
    std::array<LiveVoices::Timed, kMostStrokes> m_timed{};
    std::size_t m_timedCount = 0;
    std::size_t m_timedDone = 0;
    std::chrono::steady_clock::time_point m_lastFill;

    // Written by the audio thread, read anywhere.
    std::atomic<bool> m_isPlaying{false};
    std::atomic<Frames> m_position{0};
    std::atomic<long long> m_callbacks{0};
    std::atomic<int> m_starved{0};
    std::atomic<int> m_notFinite{0};
    std::atomic<int> m_sounding{0};
    std::atomic<float> m_ceilingGain{1};
    struct LevelSlot {
        std::atomic<int> node{0};
        std::atomic<float> peak{0};
        std::atomic<float> meanSquare{0};
        std::atomic<float> gateGain{1};
        std::atomic<float> compressorGain{1};
    };
    std::array<LevelSlot, kMostNodes> m_levels;
    struct BandSlot {
        std::atomic<int> band{0};
        std::atomic<float> movedDb{0};
    };
    std::array<BandSlot, kMostMovingBands> m_bands;
};

} // namespace cask::engine
