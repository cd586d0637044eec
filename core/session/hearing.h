// Solo and mute: what is listened to, beside the work on the session.
#pragma once

#include <core/session/session.h>
#include <vector>

namespace cask::session {

[[nodiscard]] Session withSolo(Session s, const std::vector<Id>& owners, bool on);
[[nodiscard]] Session withMute(Session s, const std::vector<Id>& owners, bool on);
/// Solo of these and of nothing else.
[[nodiscard]] Session withSoloOnly(Session s, const std::vector<Id>& owners);
[[nodiscard]] Session withoutSolos(Session s);
[[nodiscard]] bool hasSolo(const Session& s);

/// What one key solos or mutes: the kit as a whole, then what it plays with.
enum class HeardGroup { Drums, Bass, Music, Voice };
/// The elements of a group that are mixed.
[[nodiscard]] std::vector<Id> elementsOf(const Session& s, HeardGroup group);

/// Whether all of them are soloed (muted); false of none.
[[nodiscard]] bool areSoloed(const Session& s, const std::vector<Id>& owners);
[[nodiscard]] bool areMuted(const Session& s, const std::vector<Id>& owners);

} // namespace cask::session
