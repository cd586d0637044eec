// Roles from sound, for files whose names say nothing.
#pragma once

#include <core/measure/file_analysis.h>
#include <core/session/session.h>
#include <optional>

namespace cask::advise {

/// What the file sounds like; no idea for files with more than two channels, where it would be that of the
/// whole kit.
[[nodiscard]] RoleGuess guessRole(const session::SourceFile& file, const measure::FileFacts& facts);

/// Gives the elements of a file a role from its sound where the name gave none.
[[nodiscard]] session::Session withRoleFromSound(session::Session s, session::Id file,
                                                 const measure::FileFacts& facts);

/// What a file sounds like when that is clearly another drum than its name says; else nothing. A role that a
/// person has set is not questioned.
[[nodiscard]] std::optional<RoleGuess>
roleDoubt(const session::Element& element, const session::SourceFile& file, const measure::FileFacts& facts);

} // namespace cask::advise
