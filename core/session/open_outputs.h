// Elements as they leave their chains.
#pragma once

#include <core/session/session.h>

namespace cask::session {

/// Every element at 0 dB without sends and heard: mono ones on the left alone, stereo ones as they are. Their
/// stems are then their sounds before level and pan, to the last bit.
[[nodiscard]] Session withOpenOutputs(Session s);

} // namespace cask::session
