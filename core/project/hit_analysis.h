// The hits of a session: every microphone explained together, with tempo, timing and spill.
#pragma once

#include <core/advise/kit_measures.h>
#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/measure/hits/file_trails.h>
#include <core/session/session.h>
#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <string>
#include <vector>

namespace cask::project {

using advise::HitAnalysis;

/// Trails of a file; null when there are none (yet): the element is then left out.
using TrailLookup = std::function<std::shared_ptr<const measure::FileTrails>(session::Id file)>;

/// Fast: works on trails alone. Only cancelling is an error.
[[nodiscard]] Result<std::shared_ptr<const HitAnalysis>>
analyseHits(const session::Session& session, const TrailLookup& trails, const CancelToken& cancel = {});

/// Trails of all files of a session, measured on a few threads or taken from its cache.
struct SessionTrails {
    std::map<session::Id, std::shared_ptr<const measure::FileTrails>> trails;
    std::vector<std::string> problems; ///< files that are missing or can't be read
    [[nodiscard]] TrailLookup lookup() const {
        return [map = trails](session::Id id) {
            const auto it = map.find(id);
            return it == map.end() ? nullptr : it->second;
        };
    }
};
[[nodiscard]] Result<SessionTrails> measureTrails(const session::Session& session,
                                                  const std::filesystem::path& folder,
                                                  const CancelToken& cancel = {},
                                                  const ProgressFn& progress = {});

} // namespace cask::project
