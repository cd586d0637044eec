// The trained nets that ship, as text; CMake makes them from resources/ear/.
#pragma once

#include <string_view>

namespace cask::measure {

[[nodiscard]] std::string_view shippedLoopEarText();
[[nodiscard]] std::string_view shippedOwnEarText();
[[nodiscard]] std::string_view shippedShotEarText();

} // namespace cask::measure
