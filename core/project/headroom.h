// The headroom ladder: how much of the range is used by the kick, the kit, kit and bass, and everything.
#pragma once

#include <array>
#include <core/base/progress.h>
#include <core/graph/plan.h>

namespace cask::project {

enum class Rung { Kick, Kit, KitAndBass, Master };
inline constexpr int kRungs = 4;

struct Headroom {
    std::array<double, kRungs> truePeakDb{kSilenceDb, kSilenceDb, kSilenceDb,
                                          kSilenceDb}; ///< at the master, dBTP
};

/// Where each rung should be at most, dBTP, for the school that leaves about 6 dB on the master.
inline constexpr std::array<double, kRungs> kHeadroomTargetsDb = {-10, -8, -7, -6};

/// Renders the session with only the elements of each rung heard, over its whole length.
/// Kick: all kick roles; kit: all that is not context; what is muted stays muted.
[[nodiscard]] Result<Headroom> measureHeadroom(const session::Session& session,
                                               const graph::SourceLookup& sources,
                                               const CancelToken& cancel = {});

} // namespace cask::project
