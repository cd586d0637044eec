// Everything that is measured of a file when it is taken in.
#pragma once

#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/measure/hits/file_trails.h>
#include <core/measure/level_meter.h>
#include <core/measure/loudness.h>
#include <core/measure/spectrum.h>
#include <core/measure/strike.h>
#include <core/media/overview.h>
#include <filesystem>
#include <memory>
#include <string>

namespace cask::measure {

struct FileFacts {
    LevelFacts levels;
    Loudness loudness;
    Spectrum spectrum;
    int arrivals = 0; ///< rises that may be hits, own or spill
    Strike strike;
    Frames notFiniteSamples = 0; ///< silenced
    Frames framesRead = 0;
};

struct FileAnalysis {
    media::Overview overview;
    FileFacts facts;
};

/// Levels, loudness and invalid samples are those of the file as it is; the picture, the spectrum and the
/// hits those of what plays (at the session rate; the same file when nothing had to be converted). Results
/// are kept in `cacheFolder` under `cacheName` and taken from there the next time; an empty folder means no
/// cache. `trails` of the file spare a pass where they are known.
[[nodiscard]] Result<std::shared_ptr<const FileAnalysis>>
analyseFile(const media::SoundFile& original, const media::SoundFile& playable,
            const std::filesystem::path& cacheFolder, const std::string& cacheName,
            const CancelToken& cancel = {}, const ProgressFn& progress = {},
            std::shared_ptr<const FileTrails> trails = nullptr);

/// Facts as JSON and back, for the cache and the command line.
[[nodiscard]] std::string factsToJson(const FileFacts& facts);
[[nodiscard]] Result<FileFacts> factsFromJson(const std::string& text);

} // namespace cask::measure
