// A stretch of a source as a file.
#pragma once

#include <core/base/audio_source.h>
#include <core/base/progress.h>
#include <core/base/result.h>
#include <filesystem>
#include <vector>

namespace cask::project {

struct SoundPart {
    std::filesystem::path file; ///< WAV of 32-bit floats
    double rateHz = 0;
    Frames from = 0, to = 0;   ///< of the source; silent outside of it
    std::vector<int> channels; ///< of the source, by channel of the file
};

/// Without success nothing is left behind. Errors name the file; a source that fails is one.
[[nodiscard]] Status writeSound(AudioSource& source, const SoundPart& part, const CancelToken& cancel = {},
                                const ProgressFn& progress = {});

} // namespace cask::project
