#include "core/media/source_cache.h"

#include "core/base/file_system.h"
#include "core/media/audio_writer.h"
#include "core/media/resampler.h"

#include <fmt/format.h>

#include <algorithm>
#include <condition_variable>
#include <mutex>
#include <optional>
#include <set>
#include <vector>

namespace cask::media {
namespace {

namespace fs = std::filesystem;
using namespace std::chrono_literals;

/// What is being converted at the moment, by target: no copy is made twice at a time.
class UnderWay {
  public:
    /// False when cancelled while somebody else was at it.
    [[nodiscard]] bool begin(const fs::path& target, const CancelToken& cancel) {
        std::unique_lock lock(m_mutex);
        while (m_targets.contains(target)) {
            if (cancel.isCancelled())
                return false;
            m_ended.wait_for(lock, 50ms);
        }
        m_targets.insert(target);
        return true;
    }
    void end(const fs::path& target) {
        {
            const std::lock_guard lock(m_mutex);
            m_targets.erase(target);
        }
        m_ended.notify_all();
    }
    [[nodiscard]] static UnderWay& all() {
        static UnderWay table;
        return table;
    }

  private:
    std::mutex m_mutex; // guards m_targets
    std::condition_variable m_ended;
    std::set<fs::path> m_targets;
};

/// Holds a place in the table.
class Turn {
  public:
    explicit Turn(fs::path target) : m_target(std::move(target)) {}
    Turn(const Turn&) = delete;
    Turn& operator=(const Turn&) = delete;
    ~Turn() { UnderWay::all().end(m_target); }

  private:
    fs::path m_target;
};

Result<PreparedSource> convert(AudioReader& reader, const SoundFile& source, const fs::path& target,
                               double sessionRateHz, const CancelToken& cancel, const ProgressFn& progress) {
    const MediaInfo& info = reader.info();
    const Frames expected = Resampler::convertedLength(info.frames, info.sampleRateHz, sessionRateHz);
    if (auto room = checkRoom(target.parent_path(), bytesFor(expected, info.channels, SampleFormat::Float32));
        !room)
        return room.error();
    const WriteOptions options{Container::Wav, SampleFormat::Float32, false, 0};
    auto writer = AudioWriter::create(target, sessionRateHz, info.channels, options);
    if (!writer)
        return writer.error();
    std::optional<Resampler> resampler;
    if (info.sampleRateHz != sessionRateHz) {
        auto made = Resampler::create(info.sampleRateHz, sessionRateHz, info.channels);
        if (!made)
            return made.error();
        resampler.emplace(std::move(*made));
    }
    std::vector<float> block(static_cast<std::size_t>(65536 * info.channels));
    const auto mostFrames = static_cast<Frames>(kLongestFileS * info.sampleRateHz);
    Frames readFrames = 0;
    Frames written = 0;
    for (bool atEnd = false; !atEnd;) {
        if (cancel.isCancelled())
            return Error{ErrorCode::Cancelled, source.path.string() + " was not converted: stopped."};
        const Frames got = reader.read(block);
        readFrames += got;
        if (readFrames > mostFrames)
            return Error{ErrorCode::Unsupported, source.path.string() + " is longer than 24 hours."};
        atEnd = got == 0;
        std::span<const float> piece(block.data(), static_cast<std::size_t>(got * info.channels));
        if (resampler)
            piece = resampler->process(piece);
        if (auto status = writer->write(piece); !status)
            return status.error();
        written += static_cast<Frames>(piece.size()) / info.channels;
        if (progress && info.frames > 0)
            progress(std::min(1.0, static_cast<double>(readFrames) / static_cast<double>(info.frames)));
    }
    if (auto state = reader.state(); !state)
        return state.error();
    if (auto status = writer->commit(); !status)
        return status.error();
    return PreparedSource{{target, written}, true};
}

} // namespace

bool playsAsItIs(const MediaInfo& info, double sessionRateHz) {
    return info.seeksExactly && info.isLengthKnown && info.sampleRateHz == sessionRateHz;
}

Result<PreparedSource> prepareSource(const SoundFile& source, const std::string& contentHash,
                                     double sessionRateHz, const fs::path& cacheFolder,
                                     const CancelToken& cancel, const ProgressFn& progress) {
    auto reader = AudioReader::open(source);
    if (!reader)
        return reader.error();
    const MediaInfo& info = reader->info();
    if (playsAsItIs(info, sessionRateHz))
        return PreparedSource{{source.path, info.frames}, false};

    const auto target = cacheFolder / fmt::format("{}-{:.0f}.wav", contentHash, sessionRateHz);
    if (!UnderWay::all().begin(target, cancel))
        return Error{ErrorCode::Cancelled, source.path.string() + " was not converted: stopped."};
    const Turn turn(target);
    const Frames expected = Resampler::convertedLength(info.frames, info.sampleRateHz, sessionRateHz);
    if (const auto cached = AudioReader::open(target);
        cached && cached->info().sampleRateHz == sessionRateHz && cached->info().channels == info.channels &&
        cached->info().warnings.empty() &&
        (!info.isLengthKnown || std::abs(cached->info().frames - expected) <= 1))
        return PreparedSource{{target, cached->info().frames}, true};
    if (auto made = diskFileSystem().makeFolder(cacheFolder); !made)
        return made.error();
    return convert(*reader, source, target, sessionRateHz, cancel, progress);
}

} // namespace cask::media
