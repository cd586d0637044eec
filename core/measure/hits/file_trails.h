// The hit analysis' view of one file, measured once and kept in the cache.
#pragma once

#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/measure/hits/kit_model.h>
#include <core/media/audio_reader.h>
#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <string_view>

namespace cask::measure {

struct FileTrails {
    std::vector<BandTrail> channels;            ///< of one length
    std::vector<Arrival> arrivals;              ///< in all channels together
    std::optional<std::vector<GivenHit>> given; ///< of a file that is played: its hits, by time
    bool hasSpill = false;                      ///< of other drums, among what is played
};

/// One pass over a playable file (at the session rate). Kept in `cacheFolder` under `cacheName` and taken
/// from there the next time; an empty folder means no cache. Errors name the file.
[[nodiscard]] Result<std::shared_ptr<const FileTrails>>
trailsOfFile(const media::SoundFile& file, const std::filesystem::path& cacheFolder,
             const std::string& cacheName, const CancelToken& cancel = {}, const ProgressFn& progress = {});

/// The cache's bytes and back: "CASKTRL" and a version byte, rate (double), channels and steps (uint32), then
/// for each channel its bands, fine and high envelopes.
[[nodiscard]] std::string serialiseTrails(const std::vector<BandTrail>& channels);
[[nodiscard]] Result<std::vector<BandTrail>> parseTrails(std::string_view bytes);

} // namespace cask::measure
