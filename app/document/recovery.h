// Untitled sessions that a program which ended badly left behind.
#pragma once

#include <filesystem>
#include <vector>

namespace cask::app {

/// Folders with unsaved work, newest first.
[[nodiscard]] std::vector<std::filesystem::path> findAbandonedSessions();

} // namespace cask::app
