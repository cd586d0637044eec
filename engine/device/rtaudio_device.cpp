#include "engine/device/rtaudio_device.h"

#include <RtAudio.h>

#include <algorithm>
#include <atomic>
#include <cstdlib>
#include <filesystem>
#include <utility>

namespace cask::engine {
namespace {

struct Api {
    RtAudio::Api api;
    const char* id; ///< stored: do not change
    const char* name;
};
constexpr Api kApis[] = {{RtAudio::UNIX_JACK, "jack", "JACK"},
                         {RtAudio::LINUX_PULSE, "pulse", "PulseAudio"},
                         {RtAudio::LINUX_ALSA, "alsa", "ALSA"}};

/// Asking a sound system that does not run can block or print for seconds; a socket tells beforehand.
bool seemsToRun(RtAudio::Api api) {
    namespace fs = std::filesystem;
    std::error_code error;
    if (api == RtAudio::LINUX_PULSE) {
        const char* runtime = std::getenv("XDG_RUNTIME_DIR");
        return std::getenv("PULSE_SERVER") != nullptr ||
               (runtime != nullptr && fs::exists(fs::path(runtime) / "pulse" / "native", error));
    }
    if (api == RtAudio::LINUX_ALSA)
        return fs::exists("/dev/snd", error);
    setenv("JACK_NO_START_SERVER", "1", 0); // never start a server by looking
    return true;
}

std::unique_ptr<RtAudio> open(RtAudio::Api api) {
    try {
        auto audio = std::make_unique<RtAudio>(api);
        audio->showWarnings(false);
        return audio;
    } catch (const RtAudioError&) {
        return nullptr;
    }
}

struct Found {
    DeviceInfo info;
    RtAudio::Api api;
    unsigned index;
};

std::vector<Found> findDevices() {
    std::vector<Found> found;
    for (const Api& api : kApis) {
        if (!seemsToRun(api.api))
            continue;
        const auto audio = open(api.api);
        if (!audio)
            continue;
        const unsigned count = audio->getDeviceCount();
        for (unsigned i = 0; i < count; ++i) {
            try {
                const auto raw = audio->getDeviceInfo(i);
                if (!raw.probed || raw.outputChannels < 2)
                    continue;
                DeviceInfo info{
                    std::string(api.id) + ":" + raw.name, raw.name + " (" + api.name + ")", {}, false};
                for (const unsigned rate : raw.sampleRates)
                    info.ratesHz.push_back(static_cast<int>(rate));
                found.push_back({std::move(info), api.api, i});
                if (raw.isDefaultOutput)
                    std::rotate(found.begin(), found.end() - 1, found.end());
            } catch (const RtAudioError&) {
                continue;
            }
        }
    }
    return found;
}

class RtAudioDevice final : public AudioDevice {
  public:
    RtAudioDevice(AudioCallback& callback, DeviceInfo info, std::unique_ptr<RtAudio> audio)
        : m_callback(callback), m_info(std::move(info)), m_audio(std::move(audio)) {}

    ~RtAudioDevice() override {
        try {
            if (m_audio->isStreamRunning())
                m_audio->stopStream();
        } catch (const RtAudioError&) { // it is gone; there is nothing left to stop
        }
        if (m_audio->isStreamOpen())
            m_audio->closeStream();
    }

    /// May throw RtAudioError.
    void start(unsigned index, const DeviceSettings& settings) {
        RtAudio::StreamParameters output;
        output.deviceId = index;
        output.nChannels = 2;
        auto frames = static_cast<unsigned>(settings.blockFrames);
        RtAudio::StreamOptions options;
        options.flags = RTAUDIO_SCHEDULE_REALTIME;
        options.streamName = "Ember Cask";
        m_audio->openStream(&output, nullptr, RTAUDIO_FLOAT32, static_cast<unsigned>(settings.sampleRateHz),
                            &frames, &RtAudioDevice::call, this, &options);
        m_blockFrames = static_cast<int>(frames);
        m_sampleRateHz = static_cast<int>(m_audio->getStreamSampleRate());
        m_audio->startStream();
    }

    const DeviceInfo& info() const override { return m_info; }
    int sampleRateHz() const override { return m_sampleRateHz; }
    int blockFrames() const override { return m_blockFrames; }
    int latencyFrames() const override {
        try {
            return m_audio->isStreamOpen() ? static_cast<int>(m_audio->getStreamLatency()) : 0;
        } catch (const RtAudioError&) {
            return 0;
        }
    }
    int xruns() const override { return m_xruns; }
    bool isAlive() const override { return m_audio->isStreamRunning(); }

  private:
    static int call(void* out, void*, unsigned frames, double, RtAudioStreamStatus status,
                    void* self) noexcept {
        auto* device = static_cast<RtAudioDevice*>(self);
        if ((status & RTAUDIO_OUTPUT_UNDERFLOW) != 0)
            device->m_xruns.fetch_add(1, std::memory_order_relaxed);
        device->m_callback.fill(static_cast<float*>(out), static_cast<int>(frames));
        return 0;
    }

    AudioCallback& m_callback;
    DeviceInfo m_info;
    std::unique_ptr<RtAudio> m_audio;
    int m_blockFrames = 0;
    int m_sampleRateHz = 0;
    std::atomic<int> m_xruns{0};
};

} // namespace

std::vector<DeviceInfo> listRealDevices() {
    std::vector<DeviceInfo> list;
    for (auto& found : findDevices())
        list.push_back(std::move(found.info));
    return list;
}

Result<std::unique_ptr<AudioDevice>> openRealDevice(AudioCallback& callback, const DeviceSettings& settings) {
    auto found = findDevices();
    const auto it = std::find_if(found.begin(), found.end(), [&](const Found& f) {
        return settings.id.empty() || f.info.id == settings.id;
    });
    if (it == found.end())
        return Error{ErrorCode::Device, settings.id.empty()
                                            ? "There is no audio device."
                                            : "The audio device " + settings.id + " is not there."};
    const std::string name = it->info.name;
    try {
        auto audio = std::make_unique<RtAudio>(it->api);
        audio->showWarnings(false);
        auto device = std::make_unique<RtAudioDevice>(callback, std::move(it->info), std::move(audio));
        device->start(it->index, settings);
        return std::unique_ptr<AudioDevice>(std::move(device));
    } catch (const RtAudioError& error) {
        return Error{ErrorCode::Device, name + " can't be opened: " + error.getMessage()};
    }
}

} // namespace cask::engine
