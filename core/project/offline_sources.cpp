#include "core/project/offline_sources.h"

#include "core/media/offline_source.h"
#include "core/project/source_check.h"

#include <cstdlib>

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

} // namespace

Result<media::PreparedSource> prepareFile(const session::SourceFile& file, const fs::path& sessionFolder,
                                          double rateHz, const CancelToken& cancel,
                                          const ProgressFn& progress) {
    const auto checked = checkSource(file, sessionFolder);
    if (!checked)
        return checked.error();
    auto prepared = media::prepareSource(checked->file, checked->contentHash, rateHz, sessionFolder / "cache",
                                         cancel, progress);
    const bool isFolderToBlame = !prepared && (prepared.error().code == ErrorCode::NotWritable ||
                                               prepared.error().code == ErrorCode::NoSpace);
    if (!isFolderToBlame)
        return prepared;
    auto elsewhere = media::prepareSource(checked->file, checked->contentHash, rateHz, userCacheFolder(),
                                          cancel, progress);
    return elsewhere ? elsewhere : prepared; // the first sentence is about the user's own folder
}

Result<OfflineSources> openOfflineSources(const session::Session& session,
                                          const std::filesystem::path& sessionFolder,
                                          const CancelToken& cancel, const ProgressFn& progress) {
    OfflineSources opened;
    double done = 0;
    for (const auto& file : session.files) {
        const auto prepared = prepareFile(*file, sessionFolder, session.sampleRateHz, cancel, {});
        if (cancel.isCancelled())
            return Error{ErrorCode::Cancelled, "Opening the files was stopped."};
        if (!prepared && prepared.error().code == ErrorCode::Cancelled)
            return prepared.error();
        if (prepared) {
            if (auto source = media::OfflineSource::open(prepared->playable))
                opened.sources[file->id] = *source;
            else
                opened.problems.push_back(source.error().message);
        } else {
            opened.problems.push_back(prepared.error().message);
        }
        if (progress)
            progress(++done / static_cast<double>(session.files.size()));
    }
    return opened;
}

} // namespace cask::project
