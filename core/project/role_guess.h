// Roles from sound, for files whose names say nothing.
#pragma once

#include <core/measure/file_analysis.h>
#include <core/session/session.h>

namespace cask::project {

/// What the file sounds like; no idea for files with more than two channels, where it would be that of the
/// whole kit.
[[nodiscard]] RoleGuess guessRole(const session::SourceFile& file, const measure::FileFacts& facts);

/// Gives the elements of a file a role from its sound where the name gave none.
[[nodiscard]] session::Session withRoleFromSound(session::Session s, session::Id file,
                                                 const measure::FileFacts& facts);

/// A sentence when a file's name and its sound clearly speak of different drums; else empty. A role that a
/// person has set is not questioned.
[[nodiscard]] std::string roleDoubt(const session::Element& element, const session::SourceFile& file,
                                    const measure::FileFacts& facts);

} // namespace cask::project
