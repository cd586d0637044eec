// Writes a second demo session: a programmed kit whose drums are stacks.
#pragma once

#include <core/base/progress.h>
#include <core/base/result.h>
#include <filesystem>

namespace cask::demo {

/// Name.cask/ with kit/ (one-shots of the made-up kit in three strengths and two takes each, and Kit.sfz),
/// Beat.mid (eight bars as a machine plays them), layers/ (a stack for each drum) and session.json. The kick
/// has a low layer and a click, the snare a clap on its accents a little early. An existing session.json
/// there is an error.
[[nodiscard]] Result<std::filesystem::path> writeProgrammedDemo(const std::filesystem::path& folder,
                                                                const CancelToken& cancel = {},
                                                                const ProgressFn& progress = {});

} // namespace cask::demo
