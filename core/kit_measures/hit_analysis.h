// The hits of a session: every microphone explained together, with tempo, timing and spill.
#pragma once

#include <core/advise/kit_measures.h>
#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/measure/hits/file_trails.h>
#include <core/session/session.h>
#include <functional>
#include <memory>

namespace cask::kit {

using advise::HitAnalysis;

/// Trails of a file; null when there are none (yet): the element is then left out.
using TrailLookup = std::function<std::shared_ptr<const measure::FileTrails>(session::Id file)>;

/// Fast: works on trails alone. Only cancelling is an error.
[[nodiscard]] Result<std::shared_ptr<const HitAnalysis>>
analyseHits(const session::Session& session, const TrailLookup& trails, const CancelToken& cancel = {});

} // namespace cask::kit
