#include "engine/device/rtaudio_device.h"

#include <RtAudio.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cstdlib>
#include <filesystem>
#include <future>
#include <map>
#include <mutex>
#include <thread>
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

std::vector<Found> findDevicesOf(const Api& api) {
    std::vector<Found> found;
    const auto audio = open(api.api);
    if (!audio)
        return found;
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
    return found;
}

using Clock = std::chrono::steady_clock;
constexpr auto kPatience = std::chrono::seconds(5);

/// Nothing of a sound system that does not answer in time; it is not asked again before it has answered.
std::vector<Found> askedFor(const Api& api, Clock::duration patience) {
    struct Question {
        std::future<std::vector<Found>> answer;
        Clock::time_point since;
    };
    static std::mutex mutex;
    static std::map<RtAudio::Api, Question> questions;
    const std::scoped_lock lock(mutex);
    Question& question = questions[api.api];
    if (!question.answer.valid()) {
        std::packaged_task<std::vector<Found>()> task([api] { return findDevicesOf(api); });
        question = {task.get_future(), Clock::now()};
        std::thread(std::move(task)).detach();
    }
    if (question.answer.wait_until(question.since + patience) != std::future_status::ready)
        return {};
    return std::exchange(question.answer, {}).get();
}

std::vector<Found> findDevices(Clock::duration patience) {
    std::vector<Found> found;
    for (const Api& api : kApis)
        if (seemsToRun(api.api))
            for (Found& device : askedFor(api, patience))
                found.push_back(std::move(device));
    return found;
}

/// What RtAudio's thread touches; it can outlive its device when a sound system never answers again.
struct Stream {
    std::mutex calling; ///< held while the callback runs
    AudioCallback* callback;
    std::unique_ptr<RtAudio> audio;
    std::atomic<int> calls{0};
    std::atomic<int> xruns{0};
};

/// A server that has gone never lets stopStream return, and RtAudio then closes the stream on a thread of its
/// own, which must not be met: such a stream is only waited for. False: that takes too long; it must be left
/// as it is.
bool close(Stream& stream) {
    using std::chrono::milliseconds;
    const auto within = [](milliseconds limit, const auto& isTrue) {
        for (milliseconds waited{0}; !isTrue() && waited < limit; waited += milliseconds(5))
            std::this_thread::sleep_for(milliseconds(5));
        return isTrue();
    };
    try {
        const int before = stream.calls;
        const auto isOpen = [&] { return stream.audio->isStreamOpen(); };
        if (stream.audio->isStreamRunning() &&
            within(milliseconds(300), [&] { return stream.calls != before || !isOpen(); }) && isOpen())
            stream.audio->stopStream();
        if (stream.audio->isStreamRunning() && !within(milliseconds(1000), [&] { return !isOpen(); }))
            return false;
        if (isOpen())
            stream.audio->closeStream();
        std::this_thread::sleep_for(milliseconds(20)); // RtAudio's own thread leaves what it has closed
    } catch (const RtAudioError&) {                    // it is gone; there is nothing left to stop
    }
    return true;
}

class RtAudioDevice final : public AudioDevice {
  public:
    RtAudioDevice(AudioCallback& callback, DeviceInfo info, std::unique_ptr<RtAudio> audio)
        : m_info(std::move(info)), m_stream(std::make_shared<Stream>()) {
        m_stream->callback = &callback;
        m_stream->audio = std::move(audio);
    }

    ~RtAudioDevice() override {
        {
            const std::scoped_lock lock(m_stream->calling);
            m_stream->callback = nullptr;
        }
        // The window must not wait for a sound system that never answers.
        std::promise<void> promise;
        const auto closed = promise.get_future();
        std::thread([stream = m_stream, promise = std::move(promise)]() mutable {
            if (!close(*stream))
                static_cast<void>(
                    std::make_unique<std::shared_ptr<Stream>>(stream).release()); // still in use
            stream.reset();
            promise.set_value();
        }).detach();
        closed.wait_for(std::chrono::seconds(2));
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
        RtAudio& audio = *m_stream->audio;
        audio.openStream(&output, nullptr, RTAUDIO_FLOAT32, static_cast<unsigned>(settings.sampleRateHz),
                         &frames, &RtAudioDevice::call, m_stream.get(), &options);
        m_blockFrames = static_cast<int>(frames);
        m_sampleRateHz = static_cast<int>(audio.getStreamSampleRate());
        audio.startStream();
    }

    const DeviceInfo& info() const override { return m_info; }
    int sampleRateHz() const override { return m_sampleRateHz; }
    int blockFrames() const override { return m_blockFrames; }
    int latencyFrames() const override {
        try {
            RtAudio& audio = *m_stream->audio;
            return audio.isStreamOpen() ? static_cast<int>(audio.getStreamLatency()) : 0;
        } catch (const RtAudioError&) {
            return 0;
        }
    }
    int xruns() const override { return m_stream->xruns; }
    bool isAlive() const override { return m_stream->audio->isStreamRunning(); }

  private:
    static int call(void* out, void*, unsigned frames, double, RtAudioStreamStatus status,
                    void* shared) noexcept {
        auto& stream = *static_cast<Stream*>(shared);
        stream.calls.fetch_add(1, std::memory_order_relaxed);
        if ((status & RTAUDIO_OUTPUT_UNDERFLOW) != 0)
            stream.xruns.fetch_add(1, std::memory_order_relaxed);
        auto* samples = static_cast<float*>(out);
        const std::unique_lock lock(stream.calling, std::try_to_lock);
        if (lock.owns_lock() && stream.callback != nullptr)
            stream.callback->fill(samples, static_cast<int>(frames));
        else // it is being closed
            std::fill_n(samples, std::size_t{2} * frames, 0.0F);
        return 0;
    }

    DeviceInfo m_info;
    std::shared_ptr<Stream> m_stream;
    int m_blockFrames = 0;
    int m_sampleRateHz = 0;
};

} // namespace

std::vector<DeviceInfo> listRealDevices() {
    std::vector<DeviceInfo> list;
    for (auto& found : findDevices(kPatience))
        list.push_back(std::move(found.info));
    return list;
}

Result<std::unique_ptr<AudioDevice>> openRealDevice(AudioCallback& callback, const DeviceSettings& settings) {
    auto found = findDevices(settings.isAskedAgain ? Clock::duration::zero() : kPatience);
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
