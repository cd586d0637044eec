// A sound in memory.
#pragma once

#include <vector>

namespace cask::measure {

/// Channels of one length.
using Sound = std::vector<std::vector<float>>;

} // namespace cask::measure
