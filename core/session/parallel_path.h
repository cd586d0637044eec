// Parallel paths: a second, processed sound beside that of an element or bus.
#pragma once

#include <core/base/result.h>
#include <core/session/session.h>
#include <optional>
#include <string>
#include <vector>

namespace cask::session {

/// Share of an element of this role in a path that was just made, dB: snare most, toms and rooms less, kick
/// least. Nothing for what would turn to noise (hats, cymbals, overheads) and for what is not of the kit.
[[nodiscard]] std::optional<double> startingShareDb(Role role);

/// The elements whose sound is in that of `of`: itself, or those that reach the bus by outputs and sends, but
/// not through a parallel path.
[[nodiscard]] std::vector<Id> feedersOf(const Session& s, Id of);

/// A new path beside an element or bus, going where that goes, fed post-fader by its feeders with their
/// starting shares (0 dB of an element's own). Returns its bus. Errors: nothing of that id, the master, a
/// path of a path, a name that is taken.
[[nodiscard]] Result<Id> addPath(Session& s, const std::string& name, Id of);

/// The paths that stand beside an element or bus.
[[nodiscard]] std::vector<Id> pathsOf(const Session& s, Id of);

/// What dry and wet are multiplied by, the wet one besides its own level.
struct BlendGains {
    double dry = 1;
    double wet = 1;
};
/// With share b = blend / 100, m the match and L the level of the wet sound: dry k (1 - b), wet k b m, where
/// k = ((1 - b)^2 + (b L)^2 + 2 (1 - b) b L likeness)^(-1/2) keeps the power of the sum at that of the dry
/// sound; k at most kMostBlendDb. Both 1 without equal gain. An inverted path has a wet gain under 0, and
/// minus its likeness.
inline constexpr double kMostBlendDb = 12;
[[nodiscard]] BlendGains blendGains(const ParallelPath& path, double levelLinear);

/// By what an element or bus is multiplied besides its own level: as a path, and as the dry sound of a path.
/// A muted path leaves its dry sound as it is.
[[nodiscard]] double blendGainOf(const Session& s, Id elementOrBus);

/// Sets equal gain with what was measured. An error when another path of the same sound already has it.
[[nodiscard]] Result<Session> withEqualGain(Session s, Id path, double matchDb, double likeness);

} // namespace cask::session
