// Sounds dragged within the window.
#pragma once

namespace cask::app {

/// What such a drag carries beside the files, so that it is no drop of files to take in.
inline constexpr const char* kSoundsMime = "application/x-ember-cask-sounds";

} // namespace cask::app
