// Real devices through RtAudio: JACK, PulseAudio (PipeWire), ALSA.
#pragma once

#include "engine/device/audio_device.h"

#include <memory>
#include <vector>

namespace cask::engine {

/// Devices of all systems that answer, best first. Never throws; an empty list when there is none.
[[nodiscard]] std::vector<DeviceInfo> listRealDevices();

/// Opens and starts; the error says which device and why.
[[nodiscard]] Result<std::unique_ptr<AudioDevice>> openRealDevice(AudioCallback& callback,
                                                                  const DeviceSettings& settings);

} // namespace cask::engine
