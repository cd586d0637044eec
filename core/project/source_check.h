// Whether a file of a session is still the one that was imported.
#pragma once

#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/media/audio_reader.h>
#include <core/session/session.h>
#include <filesystem>
#include <string>
#include <vector>

namespace cask::project {

struct CheckedSource {
    media::SoundFile file; ///< with the frames that were found when it was imported
    media::MediaInfo info;
    std::string contentHash;
};

/// Opens the file and compares it with what the session knows: content, channels, length, rate.
/// ErrorCode::ChangedOnDisk when it is another one now; the sentence says in what.
[[nodiscard]] Result<CheckedSource> checkSource(const session::SourceFile& file,
                                                const std::filesystem::path& sessionFolder);

/// Content hash of a file, read once per process as long as the file does not change. Thread-safe.
[[nodiscard]] Result<std::string> contentHashOf(const std::filesystem::path& path);

/// What a file's measures are kept under: its content at the session's rate.
[[nodiscard]] std::string measureName(const std::string& contentHash, double rateHz);

/// The session's record of a file as it is now, at `path`: what accepting a change or finding a missing file
/// writes down. An error when it can't be used, or has fewer channels than the session plays.
[[nodiscard]] Result<session::SourceFile> sourceAsItIs(const session::Session& session, session::Id file,
                                                       const std::filesystem::path& path,
                                                       const CancelToken& cancel = {});

/// A missing file has been found at `path`: the records of it, and of other missing ones that lie beside it.
struct RelinkedFiles {
    std::vector<session::SourceFile> files;
    std::vector<std::string> problems; ///< one sentence each
};
[[nodiscard]] RelinkedFiles relinkedFiles(const session::Session& session,
                                          const std::filesystem::path& sessionFolder, session::Id file,
                                          const std::filesystem::path& path, const CancelToken& cancel = {},
                                          const ProgressFn& progress = {});

} // namespace cask::project
