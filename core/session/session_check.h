// The promises that the rest of the program relies on, checked in one place. Only for the session's reader.
#pragma once

#include <core/session/session.h>

namespace cask::session {

/// Throws BadSession. Raises nextId above every id that is taken.
void checkWhole(Session& session);

} // namespace cask::session
