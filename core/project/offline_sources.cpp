#include "core/project/offline_sources.h"

#include "core/media/offline_source.h"
#include "core/project/measured_files.h"

namespace cask::project {

Result<OfflineSources> openOfflineSources(const session::Session& session,
                                          const std::filesystem::path& sessionFolder,
                                          const CancelToken& cancel, const ProgressFn& progress) {
    OfflineSources opened;
    double done = 0;
    for (const auto& file : session.files) {
        const auto ready = readyFile(*file, sessionFolder, session.sampleRateHz, cancel);
        if (cancel.isCancelled())
            return Error{ErrorCode::Cancelled, "Opening the files was stopped."};
        if (!ready && ready.error().code == ErrorCode::Cancelled)
            return ready.error();
        if (ready) {
            if (auto source = media::OfflineSource::open(ready->prepared.playable))
                opened.sources[file->id] = *source;
            else
                opened.problems.push_back(source.error().message);
        } else {
            opened.problems.push_back(ready.error().message);
        }
        if (progress)
            progress(++done / static_cast<double>(session.files.size()));
    }
    return opened;
}

} // namespace cask::project
