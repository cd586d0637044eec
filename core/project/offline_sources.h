// Opens the files of a session for offline work.
#pragma once

#include <core/base/progress.h>
#include <core/graph/plan.h>
#include <filesystem>
#include <map>
#include <memory>
#include <string>
#include <vector>

namespace cask::project {

struct OfflineSources {
    std::map<session::Id, std::shared_ptr<AudioSource>> sources;
    std::vector<std::string> problems; ///< files that are missing or can't be read: they are silent
    [[nodiscard]] graph::SourceLookup lookup() const {
        return [map = sources](session::Id id) {
            const auto it = map.find(id);
            return it == map.end() ? nullptr : it->second;
        };
    }
};

/// Every file of the session, converted where needed. Only cancelling is an error.
[[nodiscard]] Result<OfflineSources> openOfflineSources(const session::Session& session,
                                                        const std::filesystem::path& sessionFolder,
                                                        const CancelToken& cancel = {},
                                                        const ProgressFn& progress = {});

} // namespace cask::project
