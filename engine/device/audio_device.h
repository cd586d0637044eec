// Where the sound goes: one interface for real and simulated devices.
#pragma once

#include <core/base/result.h>
#include <memory>
#include <string>
#include <vector>

namespace cask::engine {

/// What fills the blocks. Called on the device's thread.
class AudioCallback {
  public:
    AudioCallback() = default;
    AudioCallback(const AudioCallback&) = delete;
    AudioCallback& operator=(const AudioCallback&) = delete;
    virtual ~AudioCallback() = default;
    /// Interleaved stereo. RT: no alloc, no lock.
    virtual void fill(float* interleaved, int frames) noexcept = 0;
};

struct DeviceInfo {
    std::string id;   ///< stable while the machine is the same: "jack:system", "simulated"
    std::string name; ///< as people read it
    std::vector<int> ratesHz;
    bool isSimulated = false;
};

struct DeviceSettings {
    std::string id; ///< empty: the first real device, else the simulated one
    int sampleRateHz = 48000;
    int blockFrames = 256;
    bool isAskedAgain = false; ///< nothing waits for a sound system to answer: what it said last will do
};

/// Open from creation to destruction. Control thread only.
class AudioDevice {
  public:
    AudioDevice() = default;
    AudioDevice(const AudioDevice&) = delete;
    AudioDevice& operator=(const AudioDevice&) = delete;
    virtual ~AudioDevice() = default;

    [[nodiscard]] virtual const DeviceInfo& info() const = 0;
    [[nodiscard]] virtual int sampleRateHz() const = 0;
    [[nodiscard]] virtual int blockFrames() const = 0;
    /// Frames from the callback to the ear, as far as the device says.
    [[nodiscard]] virtual int latencyFrames() const = 0;
    [[nodiscard]] virtual int xruns() const = 0;
    /// False once the device has gone.
    [[nodiscard]] virtual bool isAlive() const = 0;
};

} // namespace cask::engine
