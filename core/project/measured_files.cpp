#include "core/project/measured_files.h"

#include "core/base/parallel.h"
#include "core/kit_measures/headroom.h"
#include "core/layers/stack_file.h"
#include "core/project/offline_sources.h"
#include "core/project/played_files.h"
#include "core/session/session_store.h"

#include <algorithm>
#include <cstdlib>
#include <mutex>

namespace cask::project {

namespace fs = std::filesystem;

namespace {

/// Where copies go when the session's own folder can't hold them (a read-only disk).
fs::path userCacheFolder() {
    const char* cache = std::getenv("XDG_CACHE_HOME"); // NOLINT(concurrency-mt-unsafe): never set here
    const char* home = std::getenv("HOME");            // NOLINT(concurrency-mt-unsafe)
    const fs::path base = cache != nullptr && *cache != '\0' ? fs::path(cache)
                          : home != nullptr && *home != '\0' ? fs::path(home) / ".cache"
                                                             : fs::temp_directory_path();
    return base / "ember-cask" / "converted";
}

Result<media::PreparedSource> prepare(const CheckedSource& checked, const fs::path& cacheFolder,
                                      double rateHz, const CancelToken& cancel, const ProgressFn& progress) {
    const auto into = [&](const fs::path& folder) {
        return layers::isStackFile(checked.file.path)
                   ? playStack(checked, rateHz, folder, cancel, progress)
                   : media::prepareSource(checked.file, checked.contentHash, rateHz, folder, cancel,
                                          progress);
    };
    auto prepared = into(cacheFolder);
    const bool isFolderToBlame = !prepared && (prepared.error().code == ErrorCode::NotWritable ||
                                               prepared.error().code == ErrorCode::NoSpace);
    if (!isFolderToBlame)
        return prepared;
    auto elsewhere = into(userCacheFolder());
    return elsewhere ? elsewhere : prepared; // the first sentence is about the user's own folder
}

} // namespace

Result<ReadyFile> readyFile(const session::SourceFile& file, const fs::path& sessionFolder, double rateHz,
                            const CancelToken& cancel, const ProgressFn& progress, const FoundFn& found) {
    const auto checked = checkSource(file, sessionFolder);
    if (!checked)
        return checked.error();
    if (found)
        found(*checked, !media::playsAsItIs(checked->info, rateHz));
    const auto cache = session::SessionStore(diskFileSystem(), sessionFolder).cacheFolder();
    const auto prepared = prepare(*checked, cache, rateHz, cancel, progress);
    if (!prepared)
        return prepared.error();
    const bool isPlayed = layers::isStackFile(checked->file.path); // then its sound is all there is of it
    ReadyFile ready{isPlayed ? prepared->playable : checked->file, *prepared, checked->info.warnings, cache,
                    measureName(checked->contentHash, rateHz)};
    if (isPlayed)
        if (const auto stack = layers::readStack(checked->file.path)) {
            ready.given = givenHits(*stack);
            ready.hasSpill = layers::hasSpill(*stack);
        }
    return ready;
}

Result<std::shared_ptr<const measure::FileTrails>> trailsOf(const ReadyFile& file,
                                                            const CancelToken& cancel) {
    auto trails = measure::trailsOfFile(file.prepared.playable, file.cacheFolder, file.cacheName, cancel);
    if (!trails || !file.given)
        return trails;
    auto played = std::make_shared<measure::FileTrails>(**trails);
    played->given = file.given;
    played->hasSpill = file.hasSpill;
    return std::shared_ptr<const measure::FileTrails>(std::move(played));
}

Result<std::shared_ptr<const measure::FileAnalysis>>
analysisOf(const ReadyFile& file, const CancelToken& cancel, const ProgressFn& progress,
           std::shared_ptr<const measure::FileTrails> trails) {
    return measure::analyseFile(file.original, file.prepared.playable, file.cacheFolder, file.cacheName,
                                cancel, progress, std::move(trails));
}

MeasuredFile measureFile(const session::SourceFile& file, const fs::path& sessionFolder, double rateHz,
                         const CancelToken& cancel, const ProgressFn& progress) {
    MeasuredFile measured;
    const auto found = [&](const CheckedSource& checked, bool) {
        measured.measure.warnings = checked.info.warnings;
    };
    const auto ready = readyFile(file, sessionFolder, rateHz, cancel, partOf(progress, 0, 0.3), found);
    if (!ready) {
        measured.measure.problem = ready.error().message;
        return measured;
    }
    const auto trails = trailsOf(*ready, cancel);
    if (!trails) {
        measured.measure.problem = trails.error().message;
        return measured;
    }
    measured.trails = *trails;
    const auto analysis = analysisOf(*ready, cancel, partOf(progress, 0.5, 1), *trails);
    if (analysis)
        measured.measure.analysis = *analysis;
    else
        measured.measure.problem = analysis.error().message;
    return measured;
}

MeasuredFiles measureFiles(const session::Session& s, const fs::path& sessionFolder,
                           const CancelToken& cancel, const ProgressFn& progress) {
    MeasuredFiles files;
    std::mutex mutex; // guards files
    inParallel(s.files.size(), cancel, progress, [&](std::size_t i) {
        auto measured = measureFile(*s.files[i], sessionFolder, s.sampleRateHz, cancel);
        const std::lock_guard lock(mutex);
        files[s.files[i]->id] = std::move(measured);
    });
    return files;
}

kit::TrailLookup SessionTrails::lookup() const {
    return [map = trails](session::Id id) {
        const auto it = map.find(id);
        return it == map.end() ? nullptr : it->second;
    };
}

Result<SessionTrails> measureTrails(const session::Session& s, const fs::path& sessionFolder,
                                    const CancelToken& cancel, const ProgressFn& progress) {
    SessionTrails result;
    std::mutex mutex; // guards result
    inParallel(s.files.size(), cancel, progress, [&](std::size_t i) {
        const auto ready = readyFile(*s.files[i], sessionFolder, s.sampleRateHz, cancel);
        const auto trails = ready ? trailsOf(*ready, cancel) : ready.error();
        const std::lock_guard lock(mutex);
        if (trails)
            result.trails[s.files[i]->id] = *trails;
        else if (!cancel.isCancelled())
            result.problems.push_back(trails.error().message);
    });
    if (cancel.isCancelled())
        return Error{ErrorCode::Cancelled, "The search for hits was stopped."};
    std::sort(result.problems.begin(), result.problems.end());
    return result;
}

Result<advise::KitMeasures> measureSession(const session::Session& s, const fs::path& sessionFolder,
                                           const advise::HouseStyle& style, kit::KitDepth depth,
                                           const CancelToken& cancel, const ProgressFn& progress) {
    const Error stopped{ErrorCode::Cancelled, "Measuring was stopped."};
    SessionTrails trails;
    std::map<session::Id, advise::FileMeasure> files;
    for (auto& [id, measured] : measureFiles(s, sessionFolder, cancel, partOf(progress, 0, 0.7))) {
        if (measured.trails)
            trails.trails[id] = std::move(measured.trails);
        files[id] = std::move(measured.measure);
    }
    if (cancel.isCancelled())
        return stopped;
    const auto sources = openOfflineSources(s, sessionFolder, cancel);
    if (!sources)
        return stopped;
    auto measures = kit::measureKit(s, trails.lookup(), sources->lookup(), style, depth, cancel,
                                    partOf(progress, 0.7, 1));
    if (!measures)
        return measures;
    measures->files = std::move(files);
    if (depth == kit::KitDepth::All) {
        const auto headroom = kit::measureHeadroom(s, sources->lookup(), cancel);
        if (cancel.isCancelled())
            return stopped;
        if (headroom)
            measures->headroom = *headroom;
    }
    return measures;
}

} // namespace cask::project
