// Session as JSON, as docs/formats/session.md and session.schema.json describe it.
#pragma once

#include <array>
#include <core/base/result.h>
#include <core/session/session.h>
#include <string>
#include <string_view>

namespace cask::session {

/// Stored names of HitEdit::Kind, in its order: do not change.
[[nodiscard]] constexpr std::array<std::string_view, 5> hitEditKinds() {
    return {"add", "remove", "move", "class", "owner"};
}

/// Version this program writes. Stored: raise it only with a migration.
inline constexpr int kSchemaVersion = 1;

/// Stable order and indentation, so that versions differ in few lines.
[[nodiscard]] std::string toJson(const Session& session);

/// `name` stands in the error's sentence. Fields that are not known are kept; values out of range are brought
/// into it.
[[nodiscard]] Result<Session> fromJson(std::string_view text, const std::string& name);

} // namespace cask::session
