// Everything that findings rest on, measured of a session and its files in one go.
#pragma once

#include <core/advise/house_style.h>
#include <core/advise/kit_measures.h>
#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/session/session.h>
#include <filesystem>

namespace cask::project {

/// What is said of a file besides its sound: why it can't be used, or the reader's warnings.
[[nodiscard]] advise::FileMeasure describeFile(const session::SourceFile& file,
                                               const std::filesystem::path& sessionFolder);

/// Measures or takes from the session's cache; files that can't be read carry their problem. Only cancelling
/// is an error. Gates are searched by the style.
[[nodiscard]] Result<advise::KitMeasures> measureKit(const session::Session& session,
                                                     const std::filesystem::path& folder,
                                                     const advise::HouseStyle& style = {},
                                                     const CancelToken& cancel = {},
                                                     const ProgressFn& progress = {});

} // namespace cask::project
