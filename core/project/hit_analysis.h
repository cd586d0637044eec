// The hits of a session: every microphone explained together, with tempo, timing and spill.
#pragma once

#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/measure/hits/file_trails.h>
#include <core/measure/hits/kit_hits.h>
#include <core/measure/hits/spill_table.h>
#include <core/measure/hits/tempo.h>
#include <core/session/session.h>
#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <string>
#include <vector>

namespace cask::project {

struct HitAnalysis {
    std::vector<session::Id> elements; ///< by input of the hits
    measure::KitHits hits;             ///< hand edits applied
    measure::SpillTable spill;
    measure::Tempo tempo;
    measure::Timing timing;

    /// Index of an element among the inputs; -1 when it is context or has no trail.
    [[nodiscard]] int inputOf(session::Id element) const;
    /// Element id of a drum: its first microphone; kNoId for a drum without one.
    [[nodiscard]] session::Id elementOf(int drum) const;
    /// What the owner column says of a hit: the element itself for its own hits, else the drum's first
    /// element, or a word (hat, crash ...) for a drum without a microphone.
    [[nodiscard]] std::string ownerOf(const measure::HeardHit& hit, const session::Session& s) const;
};

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
