// What comes to a bus, element by element.
#pragma once

#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/graph/plan.h>
#include <core/measure/drive/driven_sound.h>

namespace cask::kit {

struct BusPart {
    session::Id element = session::kNoId;
    measure::Sound sound;
};

/// The elements that feed a bus but by no parallel path, each as it comes to the bus alone: before the bus's
/// chain, at its levels, two channels of so many frames. Muted ones are left out. Errors: no such bus,
/// cancelling, a route that feeds itself.
[[nodiscard]] Result<std::vector<BusPart>> busParts(const session::Session& session, session::Id bus,
                                                    const graph::SourceLookup& sources, Frames from,
                                                    Frames frames, const CancelToken& cancel = {});

} // namespace cask::kit
