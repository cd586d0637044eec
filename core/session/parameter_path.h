// Every value of a session by a path, for the command line: "snare top/level_db", "snare top/eq/2/gain_db",
// "Kit/muted", "snare top/role", "master/ceiling/ceiling_db".
#pragma once

#include <core/base/result.h>
#include <core/session/session.h>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace cask::session {

/// The one path that belongs to no element or bus.
inline constexpr std::string_view kHouseStylePath = "session/house_style";

/// Sets the value written as a person would type it. The error says what is wrong with the path or the value.
/// A module is named by its kind and, from the second on, its number: "NAME/gate/...", "NAME/eq#2/...". It
/// has its parameters, "on", "key" where it hears one, "remove", and
/// "section/SECTION/PARAMETER|glide_ms|remove" for values that are other in a section. One that is only its
/// values is made when there is none. "NAME/eq/add" with a kind ("high-pass") adds a band,
/// "NAME/eq/N/PARAMETER" sets one of its values, "NAME/eq/N/remove" takes it away (N counts from 1).
/// "ride/PARAMETER" of an element, bus or module, and "ride/send/BUS/level_db", take a way through time as
/// parsePoints() reads it.
[[nodiscard]] Result<Session> withValueAt(Session s, std::string_view path, std::string_view text);

struct PathValue {
    std::string path;
    std::string value;       ///< as people read it
    bool isStandard = false; ///< what a module that was just made would have there
    std::string owner = {};  ///< name of the element or bus
    std::string module = {}; ///< its words in the chain ("repair"); empty for what is of no module
    std::string words = {};  ///< of the value alone: "threshold", "band 2 gain", "level in Chorus"
};
/// Every path of the session with its value.
[[nodiscard]] std::vector<PathValue> listValues(const Session& s);

/// The element or bus of this name; "master" is the last bus.
[[nodiscard]] std::optional<Id> findOwner(const Session& session, const std::string& name);

} // namespace cask::session
