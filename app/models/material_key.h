// What the sound that comes to a module hangs on.
#pragma once

#include <core/session/session.h>
#include <cstddef>

namespace cask::app {

/// Equal as long as nothing changes that can change what comes to a module of an element or bus (null: to
/// where a compressor would be added) and its hits; 0: there is nothing. `revision`: of the hits.
[[nodiscard]] std::size_t materialKey(const session::Session& session, session::Id owner,
                                      const session::Module* module, int revision);

} // namespace cask::app
