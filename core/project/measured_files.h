// The one way of a session's files into the analysis: found unchanged, made playable, measured, kept.
#pragma once

#include <core/advise/house_style.h>
#include <core/kit_measures/measure_kit.h>
#include <core/media/source_cache.h>
#include <core/project/source_check.h>
#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace cask::project {

/// A file that is still the one that was imported and plays at the session's rate.
struct ReadyFile {
    media::SoundFile original;
    media::PreparedSource prepared;
    std::vector<std::string> warnings;
    std::filesystem::path cacheFolder;                     ///< where its measures are kept
    std::string cacheName;                                 ///< by its content and the session's rate
    std::optional<std::vector<measure::GivenHit>> given{}; ///< of a stack
    bool hasSpill = false;                                 ///< of a stack
};

/// Told when the file was found, before it is converted (if it must be).
using FoundFn = std::function<void(const CheckedSource&, bool converts)>;

/// Finds the file and converts it once where it must be, into the session's cache (or the user's, when that
/// can't be written).
[[nodiscard]] Result<ReadyFile> readyFile(const session::SourceFile& file,
                                          const std::filesystem::path& sessionFolder, double rateHz,
                                          const CancelToken& cancel = {}, const ProgressFn& progress = {},
                                          const FoundFn& found = {});

/// The two measures of a ready file, from the cache where they are there. The second needs the first and
/// takes it over where it is known.
[[nodiscard]] Result<std::shared_ptr<const measure::FileTrails>> trailsOf(const ReadyFile& file,
                                                                          const CancelToken& cancel = {});
[[nodiscard]] Result<std::shared_ptr<const measure::FileAnalysis>>
analysisOf(const ReadyFile& file, const CancelToken& cancel = {}, const ProgressFn& progress = {},
           std::shared_ptr<const measure::FileTrails> trails = nullptr);

/// All of the above for one file. What goes wrong stands in it.
struct MeasuredFile {
    advise::FileMeasure measure;
    std::shared_ptr<const measure::FileTrails> trails; ///< null when there are none
};
[[nodiscard]] MeasuredFile measureFile(const session::SourceFile& file,
                                       const std::filesystem::path& sessionFolder, double rateHz,
                                       const CancelToken& cancel = {}, const ProgressFn& progress = {});

/// Of every file of a session, on a few threads. Cancelled, files are missing in it.
using MeasuredFiles = std::map<session::Id, MeasuredFile>;
[[nodiscard]] MeasuredFiles measureFiles(const session::Session& session,
                                         const std::filesystem::path& sessionFolder,
                                         const CancelToken& cancel = {}, const ProgressFn& progress = {});

/// Trails alone, which is all that hits need.
struct SessionTrails {
    std::map<session::Id, std::shared_ptr<const measure::FileTrails>> trails;
    std::vector<std::string> problems; ///< files that are missing or can't be read
    [[nodiscard]] kit::TrailLookup lookup() const;
};
/// Only cancelling is an error.
[[nodiscard]] Result<SessionTrails> measureTrails(const session::Session& session,
                                                  const std::filesystem::path& sessionFolder,
                                                  const CancelToken& cancel = {},
                                                  const ProgressFn& progress = {});

/// Files and kit: everything that findings rest on. Files that can't be read carry their problem. Only
/// cancelling is an error. Gates are searched by the style.
[[nodiscard]] Result<advise::KitMeasures>
measureSession(const session::Session& session, const std::filesystem::path& sessionFolder,
               const advise::HouseStyle& style = {}, kit::KitDepth depth = kit::KitDepth::All,
               const CancelToken& cancel = {}, const ProgressFn& progress = {});

} // namespace cask::project
