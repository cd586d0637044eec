// One edit on several elements at once: those that are selected together, and those that are linked.
#pragma once

#include <core/session/session.h>
#include <vector>

namespace cask::session {

/// Whether an edit changed nothing but how one element or bus is processed and where it goes (input, chain,
/// output), so that it can be made on others.
[[nodiscard]] bool isEditOf(const Session& before, const Session& after, Id lead);

/// Makes on `others` what the edit from `before` to `after` made on `lead`: levels, pans, trims, send levels
/// and thresholds move by as much (within their ranges), everything else becomes the same value; modules and
/// bands that were added or taken out are so there too. Modules belong together by kind and ordinal, bands by
/// their place. Polarity and time against other microphones are each microphone's own and stay, as do names
/// and roles. What is not possible on one of them (a loop in the routing) is left out there. `after` when it
/// is no such edit.
[[nodiscard]] Session spreadEdit(const Session& before, Session after, Id lead,
                                 const std::vector<Id>& others);

/// The others of an element's or bus's link; empty when it has none.
[[nodiscard]] std::vector<Id> linkedWith(const Session& s, Id owner);
/// Links them, out of the links that they were in.
[[nodiscard]] Session withLink(Session s, const std::vector<Id>& owners);
/// Takes each of them out of its link; a link of one is none.
[[nodiscard]] Session withoutLink(Session s, const std::vector<Id>& owners);

} // namespace cask::session
