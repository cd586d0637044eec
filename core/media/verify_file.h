// A file is read to its end once, when it is imported: what is really there, and what it is known by later.
#pragma once

#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/media/audio_reader.h>
#include <filesystem>
#include <string>

namespace cask::media {

struct VerifiedFile {
    MediaInfo info; ///< frames: those that can be decoded; warnings: also of what is missing or invalid
    std::string contentHash;
};

/// An error when nothing of it can be used.
[[nodiscard]] Result<VerifiedFile> verifyFile(const std::filesystem::path& path,
                                              const CancelToken& cancel = {},
                                              const ProgressFn& progress = {});

/// The sentence for a file of which only a part can be decoded. `promised` 0: its header does not say.
[[nodiscard]] std::string partlyThere(const std::filesystem::path& path, Frames decoded, Frames promised,
                                      double sampleRateHz);

} // namespace cask::media
