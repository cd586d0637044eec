// The kit that ships: synthesised drums with their microphones, written as files that a pattern plays.
#pragma once

#include <core/base/progress.h>
#include <core/base/result.h>
#include <filesystem>

namespace cask::demo {

/// Below a folder: Kit.sfz (close: every drum in three strengths, two takes each), Overheads.sfz and Room.sfz
/// (the same strokes at the same notes, stereo), and for each close microphone "Spill NAME.sfz" (what it
/// hears of the other drums: Kick, Snare, Hi-hat, Rack tom, Floor tom). General MIDI notes. A folder that
/// holds them is left as it is. A few seconds; without success nothing is called by its name.
[[nodiscard]] Status writeBuiltInKit(const std::filesystem::path& folder, const CancelToken& cancel = {},
                                     const ProgressFn& progress = {});

} // namespace cask::demo
