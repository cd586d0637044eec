#include "core/measure/file_analysis.h"

#include "core/base/file_system.h"
#include "core/media/audio_reader.h"

#include <vector>

namespace cask::measure {
namespace {

namespace fs = std::filesystem;

std::shared_ptr<const FileAnalysis> fromCache(const fs::path& folder, const std::string& name) {
    auto& files = diskFileSystem();
    const auto factsText = files.read(folder / (name + ".facts.json"));
    const auto overviewBytes = files.read(folder / (name + ".overview"));
    if (!factsText || !overviewBytes)
        return nullptr;
    auto facts = factsFromJson(*factsText);
    auto overview = media::Overview::parse(*overviewBytes);
    if (!facts || !overview)
        return nullptr;
    return std::make_shared<const FileAnalysis>(FileAnalysis{std::move(*overview), std::move(*facts)});
}

void toCache(const FileAnalysis& analysis, const fs::path& folder, const std::string& name) {
    auto& files = diskFileSystem();
    // A cache that can't be written costs time, nothing else.
    if (!files.makeFolder(folder))
        return;
    if (files.writeSynced(folder / (name + ".overview"), analysis.overview.serialise()))
        (void)files.writeSynced(folder / (name + ".facts.json"), factsToJson(analysis.facts));
}

} // namespace

Result<std::shared_ptr<const FileAnalysis>> analyseFile(const fs::path& path, const fs::path& cacheFolder,
                                                        const std::string& cacheName,
                                                        const CancelToken& cancel,
                                                        const ProgressFn& progress) {
    const bool caches = !cacheFolder.empty() && !cacheName.empty();
    if (caches)
        if (auto cached = fromCache(cacheFolder, cacheName))
            return cached;
    const auto trails = trailsOfFile(path, cacheFolder, cacheName, cancel);
    if (!trails)
        return trails.error();
    auto reader = media::AudioReader::open(path);
    if (!reader)
        return reader.error();
    const media::MediaInfo info = reader->info();
    media::Overview overview(info.channels);
    LevelMeter levels(info.sampleRateHz, info.channels);
    LoudnessMeter loudness(info.sampleRateHz, info.channels);
    SpectrumMeter spectrum(info.sampleRateHz, info.channels);
    std::vector<float> block(static_cast<std::size_t>(32768 * info.channels));
    Frames done = 0;
    for (;;) {
        if (cancel.isCancelled())
            return Error{ErrorCode::Cancelled, path.string() + " was not measured: stopped."};
        const Frames got = reader->read(block);
        if (got == 0)
            break;
        const std::span<const float> piece(block.data(), static_cast<std::size_t>(got * info.channels));
        overview.add(piece);
        levels.add(piece);
        loudness.add(piece);
        spectrum.add(piece);
        done += got;
        if (progress)
            progress(static_cast<double>(done) / static_cast<double>(info.frames));
    }
    overview.finish();
    auto analysis = std::make_shared<FileAnalysis>();
    analysis->overview = std::move(overview);
    FileFacts& facts = analysis->facts;
    facts.levels = levels.result();
    facts.loudness = loudness.result();
    facts.spectrum = spectrum.result();
    facts.arrivals = static_cast<int>((*trails)->arrivals.size());
    facts.notFiniteSamples = reader->notFiniteSamples(); // before some are read again
    facts.framesRead = done;
    facts.strike = measureStrike(*reader, (*trails)->arrivals);
    if (caches)
        toCache(*analysis, cacheFolder, cacheName);
    return std::shared_ptr<const FileAnalysis>(std::move(analysis));
}

} // namespace cask::measure
