// Patterns as Standard MIDI Files.
#pragma once

#include <core/base/new_file.h>
#include <core/layers/pattern.h>
#include <filesystem>

namespace cask::layers {

/// Format 1, 480 ticks a quarter: tempi and metres on the first track, strokes with their channels on the
/// second, each a sixteenth long. Read back, strokes lie within half a tick.
[[nodiscard]] Status writeMidiPattern(const Pattern& pattern, const std::filesystem::path& file,
                                      const WriteRules& rules = {IfExists::Refuse, nullptr});

} // namespace cask::layers
