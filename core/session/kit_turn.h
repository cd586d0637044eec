// The kit as heard from the other side: the drummer's seat or the audience.
#pragma once

#include <core/session/session.h>

namespace cask::session {

/// Left and right of the kit change places: pans, the sides of stereo elements with all that is set of them,
/// pans in sections, and pans of buses that carry the kit alone. Bass, music and voice stay.
[[nodiscard]] Session withKitTurned(Session s);

} // namespace cask::session
