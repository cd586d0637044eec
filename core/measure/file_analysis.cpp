#include "core/measure/file_analysis.h"

#include "core/base/cache_file.h"
#include "core/media/audio_reader.h"

#include <functional>
#include <vector>

namespace cask::measure {
namespace {

namespace fs = std::filesystem;

std::shared_ptr<const FileAnalysis> fromCache(const fs::path& folder, const std::string& name) {
    const auto factsText = readCache(folder, name + ".facts.json");
    const auto overviewBytes = readCache(folder, name + ".overview");
    if (!factsText || !overviewBytes)
        return nullptr;
    auto facts = factsFromJson(*factsText);
    auto overview = media::Overview::parse(*overviewBytes);
    if (!facts || !overview)
        return nullptr;
    return std::make_shared<const FileAnalysis>(FileAnalysis{std::move(*overview), std::move(*facts)});
}

void toCache(const FileAnalysis& analysis, const fs::path& folder, const std::string& name) {
    writeCache(folder, name + ".overview", analysis.overview.serialise());
    writeCache(folder, name + ".facts.json", factsToJson(analysis.facts));
}

/// Reads a file to its end; returns the frames read.
Result<Frames> readThrough(media::AudioReader& reader, const fs::path& path, const CancelToken& cancel,
                           const ProgressFn& progress,
                           const std::function<void(std::span<const float>)>& take) {
    const media::MediaInfo info = reader.info();
    constexpr Frames kPieceFrames = 32768;
    std::vector<float> block(static_cast<std::size_t>(kPieceFrames * info.channels));
    Frames done = 0;
    while (const Frames got = reader.read(block)) {
        if (cancel.isCancelled())
            return Error{ErrorCode::Cancelled, path.string() + " was not measured: stopped."};
        take({block.data(), static_cast<std::size_t>(got * info.channels)});
        done += got;
        if (progress && info.frames > 0)
            progress(static_cast<double>(done) / static_cast<double>(info.frames));
    }
    if (auto state = reader.state(); !state)
        return state.error();
    return done;
}

} // namespace

Result<std::shared_ptr<const FileAnalysis>>
analyseFile(const media::SoundFile& original, const media::SoundFile& playable, const fs::path& cacheFolder,
            const std::string& cacheName, const CancelToken& cancel, const ProgressFn& progress,
            std::shared_ptr<const FileTrails> trails) {
    const bool caches = !cacheFolder.empty() && !cacheName.empty();
    if (caches)
        if (auto cached = fromCache(cacheFolder, cacheName))
            return cached;
    if (!trails) {
        auto measured = trailsOfFile(playable, cacheFolder, cacheName, cancel);
        if (!measured)
            return measured.error();
        trails = *std::move(measured);
    }
    auto asItIs = media::AudioReader::open(original);
    if (!asItIs)
        return asItIs.error();
    auto analysis = std::make_shared<FileAnalysis>();
    FileFacts& facts = analysis->facts;
    LevelMeter levels(asItIs->info().sampleRateHz, asItIs->info().channels);
    LoudnessMeter loudness(asItIs->info().sampleRateHz, asItIs->info().channels);
    const auto addFacts = [&](std::span<const float> piece) {
        levels.add(piece);
        loudness.add(piece);
    };
    auto reader = media::AudioReader::open(playable);
    if (!reader)
        return reader.error();
    media::Overview overview(reader->info().channels);
    SpectrumMeter spectrum(reader->info().sampleRateHz, reader->info().channels);
    const auto addPicture = [&](std::span<const float> piece) {
        overview.add(piece);
        spectrum.add(piece);
    };
    const bool isSame = original.path == playable.path;
    const ProgressFn half =
        progress && !isSame ? ProgressFn([&](double share) { progress(share / 2); }) : progress;
    const auto heard = readThrough(*asItIs, original.path, cancel, half, [&](std::span<const float> piece) {
        addFacts(piece);
        if (isSame)
            addPicture(piece);
    });
    if (!heard)
        return heard.error();
    facts.framesRead = *heard;
    if (!isSame) {
        const auto shown = readThrough(*reader, playable.path, cancel, {}, addPicture);
        if (!shown)
            return shown.error();
        facts.framesRead = *shown;
    }
    overview.finish();
    analysis->overview = std::move(overview);
    facts.levels = levels.result();
    facts.loudness = loudness.result();
    facts.spectrum = spectrum.result();
    facts.arrivals = static_cast<int>(trails->arrivals.size());
    facts.notFiniteSamples = asItIs->notFiniteSamples();
    facts.strike = measureStrike(*reader, trails->arrivals);
    if (caches)
        toCache(*analysis, cacheFolder, cacheName);
    return std::shared_ptr<const FileAnalysis>(std::move(analysis));
}

} // namespace cask::measure
