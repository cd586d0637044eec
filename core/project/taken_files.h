// What a session takes along when it is saved in another folder.
#pragma once

#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/session/session.h>
#include <filesystem>
#include <map>
#include <string>
#include <vector>

namespace cask::project {

/// Own: what lies in the session's folder: stacks, the sounds made for them, takes, copies. All: files from
/// elsewhere too.
enum class TakeAlong { Own, All };

struct TakenFile {
    std::string path;        ///< relative to the new session's folder
    std::string contentHash; ///< of a stack, which names its sounds where they are now; else empty
};

struct TakenFiles {
    std::map<session::Id, TakenFile> files;
    std::vector<std::string> problems; ///< what could not be taken, a sentence each: its old path stays
};

/// Copies files into another session's folder: own ones to the same place there, others into its audio
/// folder, kits with all that they play and the sounds of stacks too. A name that another file has there gets
/// a number; one that is there already with the same content is not copied again. Nothing is written over.
/// Only cancelling and a folder that can't be made are errors.
[[nodiscard]] Result<TakenFiles> takeFilesAlong(const session::Session& session,
                                                const std::filesystem::path& fromFolder,
                                                const std::filesystem::path& toFolder, TakeAlong what,
                                                const CancelToken& cancel = {},
                                                const ProgressFn& progress = {});

/// Whether a session, whose own folder is the first one, plays files that lie in the second.
[[nodiscard]] bool playsFrom(const session::Session& session, const std::filesystem::path& sessionFolder,
                             const std::filesystem::path& folder);

/// The session with these files where they are now; all others with their whole path.
[[nodiscard]] session::Session withTakenFiles(session::Session s, const std::filesystem::path& fromFolder,
                                              const TakenFiles& taken);

} // namespace cask::project
