// Every value of a session by a path, for the command line: "snare top/level_db", "snare top/eq/2/gain_db",
// "Kit/muted", "snare top/role", "master/ceiling/ceiling_db".
#pragma once

#include <core/base/result.h>
#include <core/session/session.h>
#include <string>
#include <string_view>
#include <vector>

namespace cask::session {

/// The one path that belongs to no element or bus.
inline constexpr std::string_view kHouseStylePath = "session/house_style";

/// Sets the value written as a person would type it. The error says what is wrong with the path or the value.
/// "NAME/eq/add" with a kind ("high-pass") adds a band, "NAME/eq/N/remove" takes one away (N counts from 1).
[[nodiscard]] Result<Session> withValueAt(Session s, std::string_view path, std::string_view text);

struct PathValue {
    std::string path;
    std::string value; ///< as people read it
};
/// Whether a module that was just made would have this value at this path.
[[nodiscard]] bool isStandardValue(const PathValue& value);
/// Every path of the session with its value.
[[nodiscard]] std::vector<PathValue> listValues(const Session& s);

} // namespace cask::session
