// What of an output is other in a section of the song.
#pragma once

#include <core/session/kinds.h>

namespace cask::session {

/// A value of an output that can be other in a section: "level_db", "pan", "width_percent", or of a send the
/// bus's id and the field's ("7/level_db"). Nothing when it has no such value, or one that does not glide.
[[nodiscard]] std::optional<MovingValue> movingValue(const Output& out, std::string_view name);
/// The output while a section changes some of its values.
[[nodiscard]] Output withChange(Output out, const SectionChange& change);
/// Takes out what it keeps beside a send that is gone.
void forgetSend(Output& out, Id bus);

/// Puts a section's change in the place of the one of the same section; one without values takes it out.
void putChange(std::vector<SectionChange>& changes, const SectionChange& change);
[[nodiscard]] Session withOutputChange(Session s, Id owner, const SectionChange& change);

/// Section `from` is called `to` from now on; `stays`: there is another one of that name, whose changes stay.
void renameSection(std::vector<SectionChange>& changes, const std::string& from, const std::string& to,
                   bool stays);

} // namespace cask::session
