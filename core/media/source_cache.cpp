#include "core/media/source_cache.h"

#include "core/media/audio_writer.h"
#include "core/media/resampler.h"

#include <fmt/format.h>

#include <optional>
#include <vector>

namespace cask::media {

bool playsAsItIs(const MediaInfo& info, double sessionRateHz) {
    return info.seeksExactly && info.sampleRateHz == sessionRateHz;
}

Result<PreparedSource> prepareSource(const std::filesystem::path& path, const std::string& contentHash,
                                     double sessionRateHz, const std::filesystem::path& cacheFolder,
                                     const CancelToken& cancel, const ProgressFn& progress) {
    auto reader = AudioReader::open(path);
    if (!reader)
        return reader.error();
    const MediaInfo& info = reader->info();
    if (playsAsItIs(info, sessionRateHz))
        return PreparedSource{path, info.frames, false};

    const auto target = cacheFolder / fmt::format("{}-{:.0f}.wav", contentHash, sessionRateHz);
    if (auto cached = AudioReader::open(target); cached && cached->info().sampleRateHz == sessionRateHz)
        return PreparedSource{target, cached->info().frames, true};

    std::error_code error;
    std::filesystem::create_directories(cacheFolder, error);
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
    Frames readFrames = 0;
    Frames written = 0;
    for (bool atEnd = false; !atEnd;) {
        if (cancel.isCancelled())
            return Error{ErrorCode::Cancelled, path.string() + " was not converted: stopped."};
        const Frames got = reader->read(block);
        readFrames += got;
        atEnd = got == 0;
        std::span<const float> piece(block.data(), static_cast<std::size_t>(got * info.channels));
        if (resampler)
            piece = resampler->process(piece);
        if (auto status = writer->write(piece); !status)
            return status.error();
        written += static_cast<Frames>(piece.size()) / info.channels;
        if (progress && info.frames > 0)
            progress(static_cast<double>(readFrames) / static_cast<double>(info.frames));
    }
    if (auto status = writer->commit(); !status)
        return status.error();
    return PreparedSource{target, written, true};
}

} // namespace cask::media
