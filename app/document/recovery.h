// Untitled sessions that a program which ended badly left behind.
#pragma once

#include <filesystem>
#include <vector>

namespace cask::app {

/// Folders with unsaved work that no running program holds, newest first.
[[nodiscard]] std::vector<std::filesystem::path> findAbandonedSessions();

/// Nobody wants the unsaved work of an untitled session: it is offered no longer. False when another program
/// holds it.
bool refuseAbandoned(const std::filesystem::path& folder);

/// Untitled sessions that were refused are kept for a while: the newest few.
void trimUntitled();

} // namespace cask::app
