#include "engine/device/devices.h"

#include "engine/device/rtaudio_device.h"
#include "engine/device/simulated_device.h"

namespace cask::engine {

std::vector<DeviceInfo> listDevices() {
    auto list = listRealDevices();
    list.push_back(SimulatedDevice::describe());
    return list;
}

OpenedDevice openDevice(AudioCallback& callback, const DeviceSettings& settings) {
    std::string note;
    if (settings.id != "simulated") {
        auto real = openRealDevice(callback, settings);
        if (real)
            return {std::move(*real), {}};
        note = real.error().message;
    }
    return {std::make_unique<SimulatedDevice>(callback, settings.sampleRateHz, settings.blockFrames), note};
}

} // namespace cask::engine
