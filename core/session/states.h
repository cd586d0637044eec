// Other ways in which the session was mixed: named states, and two that are compared.
#pragma once

#include <core/session/session.h>
#include <string_view>

namespace cask::session {

/// The mix as it is now under a name; one of that name is replaced. REQUIRES: not "A" or "B".
[[nodiscard]] Session withState(Session s, const std::string& name);
[[nodiscard]] Session withoutState(Session s, std::string_view name);
/// Null when there is none of that name.
[[nodiscard]] const Session* stateOf(const Session& s, std::string_view name);
/// Mixed as a state was: chains, inputs, levels, routes, links, house style. What was found and said of the
/// performance stays (files, roles, names, sections, markers, hits, dismissals, solo and mute), and so does
/// what was imported or made since; elements that have been taken out come back.
[[nodiscard]] Session mixedAs(Session s, const Session& state);

/// The one of the two that is heard, and the other one.
[[nodiscard]] std::string letterOf(const Session& s);
[[nodiscard]] std::string otherLetter(const Session& s);
/// The mix of the other letter; null while it is the same one.
[[nodiscard]] const Session* otherMix(const Session& s);
/// The other one of A and B, which begins as it is now.
[[nodiscard]] Session withLetterSwitched(Session s);
/// Both are as the one that is heard.
[[nodiscard]] Session withLettersEqual(Session s);

} // namespace cask::session
