#include "core/project/intake_files.h"

#include "core/media/audio_reader.h"
#include "core/media/folder_scan.h"

#include <algorithm>

namespace cask::project {

IntakeScan scanIntake(std::span<const std::filesystem::path> dropped, const CancelToken& cancel,
                      const ProgressFn& progress) {
    IntakeScan scan;
    auto found = media::scanForAudio(dropped);
    scan.problems = std::move(found.problems);
    std::vector<std::filesystem::path> seen;
    double looked = 0;
    for (const auto& path : found.files) {
        if (cancel.isCancelled())
            break;
        if (progress)
            progress(looked++ / static_cast<double>(found.files.size()));
        std::error_code error;
        auto absolute = std::filesystem::absolute(path, error).lexically_normal();
        if (std::find(seen.begin(), seen.end(), absolute) != seen.end())
            continue;
        seen.push_back(absolute);
        const auto reader = media::AudioReader::open(absolute);
        if (!reader) {
            scan.problems.push_back(reader.error().message);
            continue;
        }
        const auto& info = reader->info();
        scan.warnings.insert(scan.warnings.end(), info.warnings.begin(), info.warnings.end());
        scan.files.push_back({absolute.string(), absolute.filename().string(), info.frames, info.channels,
                              info.sampleRateHz, info.format, info.timeReference});
    }
    return scan;
}

} // namespace cask::project
