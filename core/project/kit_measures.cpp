#include "core/project/kit_measures.h"

#include "core/base/hash.h"
#include "core/media/audio_reader.h"
#include "core/project/gates.h"
#include "core/project/hit_analysis.h"
#include "core/project/in_parallel.h"
#include "core/project/mix.h"
#include "core/project/offline_sources.h"
#include "core/project/partners.h"
#include "core/project/same_audio.h"
#include "core/project/tones.h"
#include "core/session/session_store.h"

#include <cmath>
#include <mutex>

namespace cask::project {
namespace {

Error stopped() {
    return {ErrorCode::Cancelled, "Measuring was stopped."};
}

/// Part of a whole's progress.
ProgressFn part(const ProgressFn& whole, double from, double to) {
    if (!whole)
        return {};
    return [whole, from, to](double share) { whole(from + (to - from) * share); };
}

advise::FileMeasure measureFile(const session::SourceFile& file, const std::filesystem::path& folder,
                                double rateHz, const CancelToken& cancel) {
    auto measure = describeFile(file, folder);
    if (!measure.problem.empty())
        return measure;
    const auto prepared = prepareFile(file, folder, rateHz, cancel);
    if (!prepared) {
        measure.problem = prepared.error().message;
        return measure;
    }
    const auto hash = hashFile(session::resolvePath(file, folder));
    const auto cache = session::SessionStore(diskFileSystem(), folder).cacheFolder();
    const auto analysis = measure::analyseFile(
        prepared->playable, cache, hash ? *hash + "-" + std::to_string(std::lround(rateHz)) : std::string(),
        cancel);
    if (analysis)
        measure.analysis = *analysis;
    else
        measure.problem = analysis.error().message;
    return measure;
}

} // namespace

advise::FileMeasure describeFile(const session::SourceFile& file, const std::filesystem::path& folder) {
    advise::FileMeasure measure;
    const auto reader = media::AudioReader::open(session::resolvePath(file, folder));
    if (reader)
        measure.warnings = reader->info().warnings;
    else
        measure.problem = reader.error().message;
    return measure;
}

Result<advise::KitMeasures> measureKit(const session::Session& s, const std::filesystem::path& folder,
                                       const advise::HouseStyle& style, const CancelToken& cancel,
                                       const ProgressFn& progress) {
    advise::KitMeasures measures;
    std::mutex mutex; // guards measures.files
    inParallel(s.files.size(), part(progress, 0, 0.5), [&](std::size_t i) {
        auto measured = measureFile(*s.files[i], folder, s.sampleRateHz, cancel);
        const std::lock_guard lock(mutex);
        measures.files[s.files[i]->id] = std::move(measured);
    });
    if (cancel.isCancelled())
        return stopped();
    const auto trails = measureTrails(s, folder, cancel, part(progress, 0.5, 0.7));
    if (!trails)
        return stopped();
    const auto hits = analyseHits(s, trails->lookup(), cancel);
    if (!hits)
        return stopped();
    measures.hits = *hits;
    const auto sources = openOfflineSources(s, folder, cancel);
    if (!sources)
        return stopped();
    auto pairs = alignPartners(s, *measures.hits, sources->lookup(), cancel, part(progress, 0.7, 0.8));
    if (!pairs)
        return stopped();
    measures.pairs = std::move(*pairs);
    measures.sames = findSameAudio(s, trails->lookup(), sources->lookup(), cancel);
    auto gates = measureGates(s, *measures.hits, sources->lookup(), style, cancel, part(progress, 0.8, 0.9));
    if (!gates || cancel.isCancelled())
        return stopped();
    measures.gates = std::move(*gates);
    auto tones = measureTones(s, *measures.hits, sources->lookup(), cancel, part(progress, 0.9, 0.95));
    if (!tones)
        return stopped();
    measures.tones = std::move(*tones);
    auto tracks = measureTracks(s, sources->lookup(), cancel, part(progress, 0.95, 1));
    if (!tracks)
        return stopped();
    measures.mix = measureMix(s, tracks->cells, measures.hits.get());
    measures.cells = std::move(tracks->cells);
    measures.hums = std::move(tracks->hums);
    if (progress)
        progress(1);
    return measures;
}

} // namespace cask::project
