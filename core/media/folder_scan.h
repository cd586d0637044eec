// From what was dropped (files and folders) to the sound files to take in.
#pragma once

#include <core/base/result.h>
#include <filesystem>
#include <span>
#include <string>
#include <vector>

namespace cask::media {

struct FolderScan {
    std::vector<std::filesystem::path> files; ///< sorted by name within each folder, numbers by value
    std::vector<std::string> problems;        ///< one sentence each
};

/// Folders are searched to a few levels; hidden files and files with other endings are passed over in
/// folders. A file named directly is always taken, so that its reader can say what is wrong with it.
[[nodiscard]] FolderScan scanForAudio(std::span<const std::filesystem::path> dropped);

} // namespace cask::media
