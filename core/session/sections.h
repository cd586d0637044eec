// Edits of the named stretches of a performance: in order of time, never overlapping.
#pragma once

#include <core/session/session.h>

namespace cask::session {

/// The section that holds an instant; null when there is none.
[[nodiscard]] const Section* sectionAt(const Session& s, double atS);
/// A section from `atS` to the next one's start or the session's end. One that holds `atS` ends there; one
/// that begins within 10 ms of it gets the name instead.
[[nodiscard]] Session withSectionFrom(Session s, double atS, const std::string& name);
/// Another name for the section that holds `atS`.
[[nodiscard]] Session withSectionNamed(Session s, double atS, const std::string& name);
/// Takes out the section that holds `atS`; one that ends where it began takes its time.
[[nodiscard]] Session withoutSectionAt(Session s, double atS);

} // namespace cask::session
