#include "core/measure/hits/file_trails.h"

#include "core/base/cache_file.h"
#include "core/media/audio_reader.h"

#include <cstring>

namespace cask::measure {
namespace {

constexpr std::string_view kMagic = "CASKTRL\x01"; // the last byte: raise it when the trail changes
constexpr std::uint32_t kMostSteps = 1U << 28U;

template <class T> void append(std::string& bytes, const T& value) {
    bytes.append(reinterpret_cast<const char*>(&value), sizeof value);
}

template <class T> bool take(std::string_view& bytes, T& value) {
    if (bytes.size() < sizeof value)
        return false;
    std::memcpy(&value, bytes.data(), sizeof value);
    bytes.remove_prefix(sizeof value);
    return true;
}

bool takeLevels(std::string_view& bytes, std::size_t count, std::vector<LevelByte>& levels) {
    if (bytes.size() < count)
        return false;
    levels.assign(bytes.begin(), bytes.begin() + static_cast<std::ptrdiff_t>(count));
    bytes.remove_prefix(count);
    return true;
}

std::shared_ptr<const FileTrails> withArrivals(std::vector<BandTrail> channels) {
    auto trails = std::make_shared<FileTrails>();
    trails->channels = std::move(channels);
    std::vector<const BandTrail*> pointers;
    for (const auto& channel : trails->channels)
        pointers.push_back(&channel);
    trails->arrivals = findArrivals(pointers);
    return trails;
}

} // namespace

std::string serialiseTrails(const std::vector<BandTrail>& channels) {
    std::string bytes(kMagic);
    append(bytes, channels.empty() ? 0.0 : channels.front().sampleRateHz);
    append(bytes, static_cast<std::uint32_t>(channels.size()));
    append(bytes, static_cast<std::uint32_t>(channels.empty() ? 0 : channels.front().steps()));
    for (const auto& channel : channels)
        for (const auto* levels : {&channel.bands, &channel.fine, &channel.fineHigh})
            bytes.append(reinterpret_cast<const char*>(levels->data()), levels->size());
    return bytes;
}

Result<std::vector<BandTrail>> parseTrails(std::string_view bytes) {
    const Error damaged{ErrorCode::BadFormat, "The cached trail is damaged."};
    double rate = 0;
    std::uint32_t channels = 0;
    std::uint32_t steps = 0;
    if (!bytes.starts_with(kMagic))
        return damaged;
    bytes.remove_prefix(kMagic.size());
    constexpr double kMostRateHz = 1e7;
    if (!take(bytes, rate) || !(rate > 0 && rate < kMostRateHz) || !take(bytes, channels) ||
        !take(bytes, steps) || channels < 1 || channels > static_cast<std::uint32_t>(media::kMostChannels) ||
        steps > kMostSteps)
        return damaged;
    // Checked before anything is set aside for it.
    const std::size_t perChannel = std::size_t{steps} * (kTrailBands + 2 * kFineStepsPerStep);
    if (bytes.size() != perChannel * channels)
        return damaged;
    std::vector<BandTrail> result(channels);
    for (auto& channel : result) {
        channel.sampleRateHz = rate;
        if (!takeLevels(bytes, std::size_t{steps} * kTrailBands, channel.bands) ||
            !takeLevels(bytes, std::size_t{steps} * kFineStepsPerStep, channel.fine) ||
            !takeLevels(bytes, std::size_t{steps} * kFineStepsPerStep, channel.fineHigh))
            return damaged;
    }
    return result;
}

Result<std::shared_ptr<const FileTrails>>
trailsOfFile(const media::SoundFile& file, const std::filesystem::path& cacheFolder,
             const std::string& cacheName, const CancelToken& cancel, const ProgressFn& progress) {
    const bool caches = !cacheFolder.empty() && !cacheName.empty();
    const std::string name = cacheName + ".trail";
    if (caches)
        if (const auto bytes = readCache(cacheFolder, name))
            if (auto channels = parseTrails(*bytes))
                return withArrivals(std::move(*channels));
    auto reader = media::AudioReader::open(file);
    if (!reader)
        return reader.error();
    const media::MediaInfo info = reader->info();
    std::vector<BandTrailMeter> meters;
    for (int c = 0; c < info.channels; ++c)
        meters.emplace_back(info.sampleRateHz);
    std::vector<float> block(static_cast<std::size_t>(32768 * info.channels));
    Frames done = 0;
    while (const Frames got = reader->read(block)) {
        if (cancel.isCancelled())
            return Error{ErrorCode::Cancelled, file.path.string() + " was not searched for hits: stopped."};
        const auto samples = static_cast<std::size_t>(got * info.channels);
        for (std::size_t c = 0; c < meters.size(); ++c)
            meters[c].add(std::span<const float>(block.data() + c, samples - c), meters.size());
        done += got;
        if (progress)
            progress(static_cast<double>(done) / static_cast<double>(info.frames));
    }
    if (auto state = reader->state(); !state)
        return state.error();
    std::vector<BandTrail> channels;
    for (auto& meter : meters)
        channels.push_back(meter.take());
    if (caches)
        writeCache(cacheFolder, name, serialiseTrails(channels));
    return withArrivals(std::move(channels));
}

} // namespace cask::measure
