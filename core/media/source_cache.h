// Makes any readable file playable at the session rate: plain files as they are, others converted once.
#pragma once

#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/media/audio_reader.h>
#include <filesystem>

namespace cask::media {

struct PreparedSource {
    std::filesystem::path playable; ///< the file itself, or its converted copy in the cache
    Frames frames = 0;              ///< at the session rate
    bool isConverted = false;
};

/// True when the file can be played where it lies, with no conversion.
[[nodiscard]] bool playsAsItIs(const MediaInfo& info, double sessionRateHz);

/// Converts when needed: float WAV in `cacheFolder`, named by content hash and rate. The source is never
/// touched.
[[nodiscard]] Result<PreparedSource> prepareSource(const std::filesystem::path& path,
                                                   const std::string& contentHash, double sessionRateHz,
                                                   const std::filesystem::path& cacheFolder,
                                                   const CancelToken& cancel, const ProgressFn& progress);

} // namespace cask::media
