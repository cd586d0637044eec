// Copies of a session's sound files beside it.
#pragma once

#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/session/session.h>
#include <filesystem>
#include <map>
#include <string>
#include <vector>

namespace cask::project {

struct AudioCopies {
    std::map<session::Id, std::string> paths; ///< of each copy, relative to the new session's folder
    std::vector<std::string> problems;        ///< files that could not be copied: their old path stays
};

/// Copies every file of the session into audioFolder. Files of the same name get a number; one that is there
/// already is not copied onto itself. Only cancelling and a folder that can't be made are errors.
[[nodiscard]] Result<AudioCopies> copyAudio(const session::Session& session,
                                            const std::filesystem::path& sessionFolder,
                                            const std::filesystem::path& audioFolder,
                                            const CancelToken& cancel = {}, const ProgressFn& progress = {});

} // namespace cask::project
