// Makes any readable file playable at the session rate: plain files as they are, others converted once.
#pragma once

#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/media/audio_reader.h>
#include <filesystem>

namespace cask::media {

struct PreparedSource {
    SoundFile playable; ///< the file itself, or its converted copy in the cache; frames at the session rate
    bool isConverted = false;
};

/// True when the file can be played where it lies, with no conversion.
[[nodiscard]] bool playsAsItIs(const MediaInfo& info, double sessionRateHz);

/// Converts when needed: float WAV in `cacheFolder`, named by content hash and rate. The source is never
/// touched. A second call for the same copy, from any thread, waits for the first. Fewer frames than
/// `source.frames` (when it says how many) are an error.
[[nodiscard]] Result<PreparedSource> prepareSource(const SoundFile& source, const std::string& contentHash,
                                                   double sessionRateHz,
                                                   const std::filesystem::path& cacheFolder,
                                                   const CancelToken& cancel, const ProgressFn& progress);

} // namespace cask::media
