#include "core/project/offline_sources.h"

#include "core/base/hash.h"
#include "core/media/offline_source.h"
#include "core/session/session_store.h"

namespace cask::project {

Result<media::PreparedSource> prepareFile(const session::SourceFile& file,
                                          const std::filesystem::path& sessionFolder, double rateHz,
                                          const CancelToken& cancel, const ProgressFn& progress) {
    const auto path = session::resolvePath(file, sessionFolder);
    const auto reader = media::AudioReader::open(path);
    if (!reader)
        return reader.error();
    if (media::playsAsItIs(reader->info(), rateHz))
        return media::PreparedSource{path, reader->info().frames, false};
    const auto hash = hashFile(path);
    if (!hash)
        return hash.error();
    return media::prepareSource(path, *hash, rateHz, sessionFolder / "cache", cancel, progress);
}

Result<OfflineSources> openOfflineSources(const session::Session& session,
                                          const std::filesystem::path& sessionFolder,
                                          const CancelToken& cancel, const ProgressFn& progress) {
    OfflineSources opened;
    double done = 0;
    for (const auto& file : session.files) {
        const auto prepared = prepareFile(*file, sessionFolder, session.sampleRateHz, cancel, {});
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
