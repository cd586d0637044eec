// Edits of the named instants of a performance: in order of time.
#pragma once

#include <core/session/session.h>

namespace cask::session {

/// The marker within `nearS` of an instant that is nearest to it; null when there is none.
[[nodiscard]] const Marker* markerNear(const Session& s, double atS, double nearS = 0.05);
/// A marker at an instant, in the place of one within 10 ms of it.
[[nodiscard]] Session withMarker(Session s, double atS, const std::string& name);
/// Another name or another instant for the marker that stands at `atS`.
[[nodiscard]] Session withMarkerNamed(Session s, double atS, const std::string& name);
[[nodiscard]] Session withMarkerMoved(Session s, double atS, double toS);
[[nodiscard]] Session withoutMarker(Session s, double atS);

} // namespace cask::session
