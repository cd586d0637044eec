// Elements that crowd: each muted in turn, measured in the sum.
#pragma once

#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/graph/plan.h>
#include <core/measure/stack/crowd_meter.h>
#include <vector>

namespace cask::kit {

struct Crowding {
    session::Id element = session::kNoId;
    measure::CrowdPart part; ///< `likest` is a place in the same list
    /// Muted, no third of an octave of the sum loses as much as kHeardDb.
    [[nodiscard]] bool changesNothing() const { return !part.isSilent && part.mostLostDb < kHeardDb; }
    /// Its level moves with another one's: both are heard as one drum.
    [[nodiscard]] bool isOneWith() const { return part.likest >= 0 && part.likeness >= kOneDrum; }
    static constexpr double kHeardDb = 1;
    static constexpr double kOneDrum = 0.9;
};

/// Elements that are mixed and not muted, behind their own chains, levels and pans, as they meet in a sum;
/// what buses do to it is left out. At most the first kCrowdingS seconds.
inline constexpr double kCrowdingS = 60;
[[nodiscard]] Result<std::vector<Crowding>> measureCrowding(const session::Session& s,
                                                            const graph::SourceLookup& sources,
                                                            const CancelToken& cancel = {},
                                                            const ProgressFn& progress = {});

} // namespace cask::kit
