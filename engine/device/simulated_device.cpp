#include "engine/device/simulated_device.h"

#include <chrono>

namespace cask::engine {

SimulatedDevice::SimulatedDevice(AudioCallback& callback, int sampleRateHz, int blockFrames, Clock clock)
    : m_callback(callback), m_info(describe()), m_sampleRateHz(sampleRateHz), m_blockFrames(blockFrames),
      m_block(static_cast<std::size_t>(2 * blockFrames)) {
    if (clock == Clock::RealTime)
        m_thread = std::thread([this] { run(); });
}

SimulatedDevice::~SimulatedDevice() {
    m_isStopping = true;
    if (m_thread.joinable())
        m_thread.join();
}

DeviceInfo SimulatedDevice::describe() {
    return {"simulated", "Simulated device (no sound)", {44100, 48000, 88200, 96000, 176400, 192000}, true};
}

void SimulatedDevice::playBlock() {
    m_callback.fill(m_block.data(), m_blockFrames);
    if (m_records) {
        const std::lock_guard lock(m_mutex);
        m_recording.insert(m_recording.end(), m_block.begin(), m_block.end());
    }
}

void SimulatedDevice::pump(int blocks) {
    for (int i = 0; i < blocks && !m_hasVanished; ++i)
        playBlock();
}

void SimulatedDevice::record(bool on) {
    m_records = on;
}

std::vector<float> SimulatedDevice::takeRecording() {
    const std::lock_guard lock(m_mutex);
    return std::exchange(m_recording, {});
}

void SimulatedDevice::run() {
    using Steady = std::chrono::steady_clock;
    const std::chrono::duration<double> period(static_cast<double>(m_blockFrames) / m_sampleRateHz);
    auto due = Steady::now();
    while (!m_isStopping) {
        if (m_stalls.exchange(false)) {
            ++m_xruns;
            due += std::chrono::milliseconds(200);
        }
        if (!m_hasVanished)
            playBlock();
        due += std::chrono::duration_cast<Steady::duration>(period);
        if (due < Steady::now()) { // late already: a real device would have dropped out
            if (Steady::now() - due > 4 * period) {
                ++m_xruns;
                due = Steady::now();
            }
        }
        std::this_thread::sleep_until(due);
    }
}

} // namespace cask::engine
