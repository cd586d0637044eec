#include "core/project/intake_files.h"

#include "core/base/parallel.h"
#include "core/base/utf8.h"
#include "core/media/folder_scan.h"
#include "core/media/verify_file.h"

#include <optional>
#include <set>

namespace cask::project {

IntakeScan scanIntake(std::span<const std::filesystem::path> dropped, const CancelToken& cancel,
                      const ProgressFn& progress) {
    namespace fs = std::filesystem;
    IntakeScan scan;
    auto found = media::scanForAudio(dropped);
    scan.problems = std::move(found.problems);
    std::vector<fs::path> paths;
    std::set<fs::path> seen;
    for (const auto& path : found.files) {
        std::error_code error;
        const auto absolute = fs::absolute(path, error).lexically_normal();
        const auto canonical = fs::canonical(absolute, error); // one file may be reached by several links
        if (!seen.insert(error ? absolute : canonical).second)
            continue;
        paths.push_back(absolute);
    }
    std::vector<std::optional<Result<media::VerifiedFile>>> verified(paths.size());
    inParallel(paths.size(), cancel, progress,
               [&](std::size_t i) { verified[i] = media::verifyFile(paths[i], cancel); });
    for (std::size_t i = 0; i < paths.size(); ++i) {
        if (!verified[i] || cancel.isCancelled())
            continue;
        if (!*verified[i]) {
            std::string sentence = verified[i]->error().message;
            if (sentence.ends_with('.'))
                sentence.pop_back();
            scan.problems.push_back(sentence + "; it was left out.");
            continue;
        }
        const auto& info = (*verified[i])->info;
        scan.warnings.insert(scan.warnings.end(), info.warnings.begin(), info.warnings.end());
        scan.files.push_back({paths[i].string(), toUtf8(paths[i].filename().string()), info.frames,
                              info.channels, info.sampleRateHz, info.format, info.timeReference,
                              (*verified[i])->contentHash});
    }
    return scan;
}

} // namespace cask::project
