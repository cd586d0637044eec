// Patterns from Standard MIDI Files.
#pragma once

#include <core/base/result.h>
#include <core/layers/pattern.h>
#include <filesystem>
#include <span>

namespace cask::layers {

/// Formats 0 and 1, with changes of tempo and metre; times in quarter notes, not in frames of film. Every way
/// to fail gives one sentence that names the file.
[[nodiscard]] Result<Pattern> readMidiPattern(const std::filesystem::path& file);
/// From memory; `name` stands in what is said.
[[nodiscard]] Result<Pattern> midiPattern(std::span<const unsigned char> bytes, const std::string& name);

/// A file that is larger is refused: a day of drums takes less.
inline constexpr std::size_t kLargestMidiBytes = 16U << 20U;

} // namespace cask::layers
