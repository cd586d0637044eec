// Writes the demo take as a session folder.
#pragma once

#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/demo/demo_kit.h>
#include <filesystem>

namespace cask::demo {

/// Name.cask/ with audio/ (24-bit WAV at 48 kHz, the bass as 44.1 kHz FLAC), session.json with a first rough
/// balance, truth.csv (drum,time_s,velocity,kind) and faults.csv. An existing session.json there is an error:
/// nothing is lost.
[[nodiscard]] Result<std::filesystem::path> writeDemoSession(const std::filesystem::path& folder,
                                                             const CancelToken& cancel = {},
                                                             const ProgressFn& progress = {});

} // namespace cask::demo
