#include "core/project/audio_copies.h"

#include "core/base/file_system.h"
#include "core/layers/stack_file.h"
#include "core/session/session_store.h"

#include <set>

namespace cask::project {

namespace fs = std::filesystem;

Result<AudioCopies> copyAudio(const session::Session& session, const fs::path& sessionFolder,
                              const fs::path& audioFolder, const CancelToken& cancel,
                              const ProgressFn& progress) {
    auto& files = diskFileSystem();
    if (auto made = files.makeFolder(audioFolder); !made)
        return made.error();
    AudioCopies copies;
    std::set<fs::path> taken;
    for (const auto& file : session.files) {
        if (cancel.isCancelled())
            return Error{ErrorCode::Cancelled, "Copying the sound files was stopped."};
        if (progress)
            progress(static_cast<double>(copies.paths.size()) / static_cast<double>(session.files.size()));
        const fs::path from = session::resolvePath(*file, sessionFolder);
        if (layers::isStackFile(from)) { // it names its sounds from where it lies
            copies.problems.push_back(from.string() +
                                      " is played by layers: it and its sounds stay where they are.");
            continue;
        }
        fs::path to = audioFolder / from.filename();
        std::error_code error;
        const auto isFree = [&](const fs::path& path) {
            return !taken.contains(path) && (!files.exists(path) || fs::equivalent(from, path, error));
        };
        for (int n = 2; !isFree(to); ++n)
            to = audioFolder / (from.stem().string() + " " + std::to_string(n) + from.extension().string());
        if (!files.exists(to)) {
            if (auto copied = files.copy(from, to); !copied) {
                copies.problems.push_back(copied.error().message);
                continue;
            }
        }
        taken.insert(to);
        copies.paths[file->id] = (audioFolder.filename() / to.filename()).string();
    }
    return copies;
}

} // namespace cask::project
