// The order in which the elements of a kit stand.
#pragma once

#include <core/session/session.h>

namespace cask::session {

/// Kick, snare, hats, toms, cymbals, overheads, rooms, percussion, context (the order of allRoles());
/// elements of one role as they came.
[[nodiscard]] bool isInKitOrder(const Session& s);
/// Puts an element where its role stands among the others, where these are in that order; an order that a
/// person has made is kept.
void placeInKit(Session& s, Id element);
/// All in kit order.
[[nodiscard]] Session inKitOrder(Session s);
/// Puts an element before another; at the end for kNoId.
[[nodiscard]] Session withElementBefore(Session s, Id element, Id other);

} // namespace cask::session
