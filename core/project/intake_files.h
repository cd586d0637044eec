// Looks at dropped files and folders and says what can be taken in.
#pragma once

#include <core/base/progress.h>
#include <core/session/intake.h>
#include <filesystem>
#include <span>
#include <string>
#include <vector>

namespace cask::project {

struct IntakeScan {
    std::vector<session::IntakeFile> files; ///< paths absolute
    std::vector<std::string> problems;      ///< files that were left out, one sentence each
    std::vector<std::string> warnings;      ///< files that were taken although something is wrong with them
};

/// Reads every file to its end, a few at a time; a bad one costs nothing but a sentence. Cancelled, it takes
/// nothing.
[[nodiscard]] IntakeScan scanIntake(std::span<const std::filesystem::path> dropped,
                                    const CancelToken& cancel = {}, const ProgressFn& progress = {});

} // namespace cask::project
