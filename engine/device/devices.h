// All devices, the simulated one last.
#pragma once

#include "engine/device/audio_device.h"

namespace cask::engine {

[[nodiscard]] std::vector<DeviceInfo> listDevices();

struct OpenedDevice {
    std::unique_ptr<AudioDevice> device; ///< never null
    std::string note;                    ///< why it is not the one that was asked for; empty when it is
};

/// Always opens something: the simulated device when nothing else will.
[[nodiscard]] OpenedDevice openDevice(AudioCallback& callback, const DeviceSettings& settings);

} // namespace cask::engine
