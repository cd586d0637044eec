#include "core/project/kit_measures.h"

#include "core/base/parallel.h"
#include "core/project/gates.h"
#include "core/project/hit_analysis.h"
#include "core/project/mix.h"
#include "core/project/offline_sources.h"
#include "core/project/partners.h"
#include "core/project/same_audio.h"
#include "core/project/source_check.h"
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
                                double rateHz, const TrailLookup& trails, const CancelToken& cancel) {
    advise::FileMeasure measure;
    const auto checked = checkSource(file, folder);
    if (!checked) {
        measure.problem = checked.error().message;
        return measure;
    }
    measure.warnings = checked->info.warnings;
    const auto prepared = prepareFile(file, folder, rateHz, cancel);
    if (!prepared) {
        measure.problem = prepared.error().message;
        return measure;
    }
    const auto analysis = measure::analyseFile(
        checked->file, prepared->playable, session::SessionStore(diskFileSystem(), folder).cacheFolder(),
        measureName(checked->contentHash, rateHz), cancel, {}, trails ? trails(file.id) : nullptr);
    if (analysis)
        measure.analysis = *analysis;
    else
        measure.problem = analysis.error().message;
    return measure;
}

} // namespace

std::map<session::Id, advise::FileMeasure> measureFiles(const session::Session& s,
                                                        const std::filesystem::path& folder,
                                                        const TrailLookup& trails, const CancelToken& cancel,
                                                        const ProgressFn& progress) {
    std::map<session::Id, advise::FileMeasure> files;
    std::mutex mutex; // guards files
    inParallel(s.files.size(), cancel, progress, [&](std::size_t i) {
        auto measured = measureFile(*s.files[i], folder, s.sampleRateHz, trails, cancel);
        const std::lock_guard lock(mutex);
        files[s.files[i]->id] = std::move(measured);
    });
    return files;
}

Result<advise::KitMeasures> measureKit(const session::Session& s, const std::filesystem::path& folder,
                                       const advise::HouseStyle& style, KitDepth depth,
                                       const CancelToken& cancel, const ProgressFn& progress) {
    advise::KitMeasures measures;
    const auto trails = measureTrails(s, folder, cancel, part(progress, 0, 0.3));
    if (!trails)
        return stopped();
    measures.files = measureFiles(s, folder, trails->lookup(), cancel, part(progress, 0.3, 0.7));
    if (cancel.isCancelled())
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
    if (cancel.isCancelled())
        return stopped();
    if (depth == KitDepth::Files)
        return measures;
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
