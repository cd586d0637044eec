// A device that is none: keeps time like one and can be told to misbehave. Says what it is.
#pragma once

#include "engine/device/audio_device.h"

#include <atomic>
#include <mutex>
#include <thread>
#include <vector>

namespace cask::engine {

/// Calls back at the pace of its sample rate, or as fast as asked by pump(). Thread-safe.
class SimulatedDevice final : public AudioDevice {
  public:
    enum class Clock { RealTime, Manual };

    SimulatedDevice(AudioCallback& callback, int sampleRateHz, int blockFrames,
                    Clock clock = Clock::RealTime);
    ~SimulatedDevice() override;

    [[nodiscard]] static DeviceInfo describe();
    [[nodiscard]] const DeviceInfo& info() const override { return m_info; }
    [[nodiscard]] int sampleRateHz() const override { return m_sampleRateHz; }
    [[nodiscard]] int blockFrames() const override { return m_blockFrames; }
    [[nodiscard]] int latencyFrames() const override { return m_blockFrames; }
    [[nodiscard]] int xruns() const override { return m_xruns; }
    [[nodiscard]] bool isAlive() const override { return !m_hasVanished; }

    /// Plays this many blocks at once. REQUIRES: the manual clock.
    void pump(int blocks);
    /// Keeps what is played from now on.
    void record(bool on);
    /// What was recorded so far, interleaved stereo.
    [[nodiscard]] std::vector<float> takeRecording();
    /// Misses its time by one long block: counts an xrun.
    void stall() { m_stalls = true; }
    /// Stops calling back, like a device that was pulled out; comeBack() plugs it in again.
    void vanish() { m_hasVanished = true; }
    void comeBack() { m_hasVanished = false; }

  private:
    void run();
    void playBlock();

    AudioCallback& m_callback;
    const DeviceInfo m_info;
    const int m_sampleRateHz;
    const int m_blockFrames;
    std::atomic<int> m_xruns{0};
    std::atomic<bool> m_hasVanished{false};
    std::atomic<bool> m_stalls{false};
    std::atomic<bool> m_isStopping{false};
    std::atomic<bool> m_records{false};
    std::vector<float> m_block; // device thread only
    std::mutex m_mutex;         // guards the recording
    std::vector<float> m_recording;
    std::thread m_thread;
};

} // namespace cask::engine
