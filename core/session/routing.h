// Who feeds whom, in which order, and who is heard.
#pragma once

#include <core/base/result.h>
#include <core/session/session.h>
#include <vector>

namespace cask::session {

/// Buses so that every bus comes after all that feed it; an error names the path that closes on itself.
[[nodiscard]] Result<std::vector<Id>> busOrder(const Session& session);

/// Elements and buses so that each comes after all that feed it or that its gates listen to; the same error.
[[nodiscard]] Result<std::vector<Id>> nodeOrder(const Session& session);

/// Checks that a module of `owner` may listen to an element or bus; the error names the path that would
/// close. An element that is listened to before its chain never closes one.
[[nodiscard]] Status checkKey(const Session& session, Id owner, Id key, KeyTap tap = KeyTap::Source);

/// Checks that `from` may feed `to`; the error names the path that would close.
[[nodiscard]] Status checkRoute(const Session& session, Id from, Id to);

/// True when the element is heard: not muted, and allowed by whatever is heard alone (itself, or a bus it
/// reaches).
[[nodiscard]] bool isHeard(const Session& session, const Element& element);

/// True when the sound of `from` reaches `bus` by outputs or sends.
[[nodiscard]] bool reaches(const Session& session, Id from, Id bus);

} // namespace cask::session
